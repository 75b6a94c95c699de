/** What a plot draws and tells. */
export type Range = [number, number];
/** A place on the axis. One that can be dragged tells where to; a faint one belongs to a family. */
export type Mark = { x: number; says: string; faint?: boolean; onDrag?: (x: number) => void };
/** A curve, or an envelope where `low` is given; one that spans runs on over places where it has no value. */
export type Curve = { name: string; high: ArrayLike<number>; low?: ArrayLike<number>; spans?: boolean };
export type PlotHandle = { draw: (x: ArrayLike<number>, curves: Curve[]) => void };
