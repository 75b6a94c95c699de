/** Cells of tables that are used like spreadsheets: where one is, how keys walk, what is selected. */
export type Spot = { row: number; column: number };
export type EditingCell = { spot: Spot; text: string; wrong: string } | undefined;

export const between = (x: number, lo: number, hi: number) => Math.min(Math.max(x, lo), hi);

/** Rows and columns between two cells, both of them included. */
export const boxOf = (at: Spot, from: Spot) => ({
  top: Math.min(at.row, from.row),
  bottom: Math.max(at.row, from.row),
  left: Math.min(at.column, from.column),
  right: Math.max(at.column, from.column),
});

const FAR = 1e6;
const steps: Record<string, [number, number]> = {
  ArrowUp: [-1, 0],
  ArrowDown: [1, 0],
  ArrowLeft: [0, -1],
  ArrowRight: [0, 1],
  PageUp: [-15, 0],
  PageDown: [15, 0],
  Home: [0, -FAR],
  End: [0, FAR],
};

type Press = { key: string; ctrlKey: boolean; metaKey: boolean };

/** The cell a key leads to; none for a key that does not walk. With Ctrl it leads to the end. */
export function walked(e: Press, { row, column }: Spot, rows: number): Spot | undefined {
  const by = steps[e.key];
  if (!by) return undefined;
  const control = e.ctrlKey || e.metaKey;
  if (control && e.key === "Home") return { row: 0, column };
  if (control && e.key === "End") return { row: rows - 1, column };
  return { row: row + by[0] * (control ? FAR : 1), column: column + by[1] };
}
