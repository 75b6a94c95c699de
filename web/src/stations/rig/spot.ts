/** A place in the channel table, and a cell that is being edited. */
export type Spot = { row: number; column: number };
export type EditingCell = { spot: Spot; text: string; wrong: string } | undefined;
