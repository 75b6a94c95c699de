/** What a plot draws and tells. */
export type Range = [number, number];
/** A place on the axis. One that can be dragged tells where to; a faint one belongs to a family. */
export type Mark = { x: number; says: string; faint?: boolean; onDrag?: (x: number) => void };
/** A level across the plot, such as a limit. */
export type Level = { at: number; says: string };
/** A curve, or an envelope where `low` is given; one that spans runs on over places where it has no value, and one in
 * steps keeps a value until the next. */
export type Curve = {
  name: string;
  high: ArrayLike<number>;
  low?: ArrayLike<number>;
  spans?: boolean;
  steps?: boolean;
  /** In the first one's hue, paler: what was before it. */
  pale?: boolean;
};
export type PlotHandle = { draw: (x: ArrayLike<number>, curves: Curve[]) => void };
/** How the axes of a plot are set beside their stretch; what is left out is as the plot has it by itself. */
export type Axes = { logX?: boolean; logY?: boolean; y?: Range };
