/** The words lenses share in their sentences, and what new ones begin with. */
import type { RunDetail, Schema } from "../../../api/client";
import { whole, withUnit } from "../../../ui/format";

export type Recipe = { lens: string; unit?: string; [key: string]: unknown };
type Option = { value: string | number; says: string; face?: string };

/** A word of a lens's sentence; `key` may lead into an object, as in `tacho.channel`. */
export type Field = { key: string; label: string } & (
  | { as: "choice"; options: (run: RunDetail) => Option[]; usual?: string | number }
  // What it may be, and in which unit, the server knows.
  | { as: "number"; none?: string }
  | { as: "pair"; unit: string; none?: string }
  | { as: "flag"; no: string; yes: string }
  | { as: "list"; none?: string; signed?: boolean }
  | { as: "channel" }
  | { as: "unit" }
);

export type Parts = (string | Field)[];

/** Words for all values of a setting; the compiler sees to it that none of the server's is missing. */
export const options =
  <T extends string = string>(all: Record<T, string>) =>
  () =>
    Object.entries<string>(all).map(([value, says]) => ({ value, says }));
/** Those without a shape of their own. */
const windows: Record<Exclude<Schema["WindowName"], "kaiser" | "tukey">, string> = {
  hann: "Hann",
  hamming: "Hamming",
  flat_top: "flat-top",
  blackman_harris: "Blackman-Harris",
  rectangular: "no",
};
const scalings: Record<Schema["ScalingName"], string> = {
  peak: "peak",
  peak_to_peak: "peak to peak",
  rms: "rms",
  power: "power",
  psd: "PSD",
  esd: "energy density",
};

export const block: Field = {
  key: "block",
  label: "Block",
  as: "choice",
  options: (run) =>
    Array.from({ length: 14 }, (_, k) => 2 ** (k + 7)).map((b) => ({
      value: b,
      face: whole(b),
      says: `${whole(b)} · ${withUnit(run.sample_rate_hz / b, "Hz", 3)}`,
    })),
};
export const window: Field = { key: "window", label: "Window", as: "choice", options: options(windows) };
export const overlap: Field = {
  key: "overlap",
  label: "Overlap",
  as: "choice",
  options: () => [0, 0.5, 0.67, 0.75].map((o) => ({ value: o, says: `${o * 100} %` })),
};
export const averaging: Field = {
  key: "averaging",
  label: "Averaging",
  as: "choice",
  options: options<Schema["AveragingName"]>({
    linear: "linear average",
    exponential: "exponential average",
    peak_hold: "peak hold",
  }),
};
export const ofTakes: Field = {
  key: "of_takes",
  label: "Blocks of takes",
  as: "choice",
  usual: "every",
  options: options<Schema["TakeBlocks"]>({ every: "every block", first: "the first of each take" }),
};
export const scaling: Field = { key: "scaling", label: "Scaling", as: "choice", options: options(scalings) };
export const confidence: Field = {
  key: "confidence",
  label: "Confidence",
  as: "choice",
  usual: 0.95,
  options: () => [0.68, 0.95].map((c) => ({ value: c, says: `${Math.round(c * 100)} % interval` })),
};
export const unit: Field = { key: "unit", label: "Unit", as: "unit" };
export const blocks = ["blocks of ", block, ", ", window, " window, ", overlap, " overlap"];
export const tacho: Field = { key: "tacho.channel", label: "Tachometer", as: "channel" };
export const reference: Field = { key: "reference", label: "Reference", as: "channel" };
export const sweep: Field = {
  key: "sweep",
  label: "Sweep",
  as: "choice",
  usual: "automatic",
  options: options<Schema["SweepName"]>({ automatic: "the way it goes", up: "while it rises", down: "while it falls" }),
};

export const along = (usual: "speed" | "time"): Field => ({
  key: "along",
  label: "Along",
  as: "choice",
  usual,
  options: options<Schema["AlongName"]>({ speed: "speed", time: "time" }),
});
export const edges: Field = { key: "edges", label: "Edges", as: "list", none: "automatic", signed: true };
/** Edges and a number of classes are one or the other: what was set last counts. */
export const oneOf = (next: Recipe, was: Recipe): Recipe => {
  const { classes, edges: set, ...rest } = next;
  const some = Array.isArray(set) && set.length > 0;
  return some && classes === was.classes ? { ...rest, edges: set } : classes ? { ...rest, classes } : rest;
};
export const step: Field = { key: "step_rpm", label: "Step", as: "number" };
export const interval: Field = {
  key: "interval_s",
  label: "Interval",
  as: "number",
  none: "fitting",
};
/** Where the blocks of an order lens are taken. */
export const places = (recipe: Recipe): Parts =>
  recipe.along === "time"
    ? ["along ", along("speed"), " every ", interval]
    : ["along ", along("speed"), " every ", step, ", ", sweep];

/** The longest block of about two thirds of a second. */
export const fitting = (rate_hz: number, seconds = 0.65) =>
  2 ** Math.max(7, Math.min(20, Math.floor(Math.log2(seconds * rate_hz))));

export const cut = (run: RunDetail, seconds = 0.65) => ({
  block: fitting(run.sample_rate_hz, Math.min(seconds, run.duration_s / 2)),
  window: "hann",
  overlap: 0.5,
});
export const turning = (run: RunDetail, markers: Schema["MarkersBody"] | undefined) => ({
  tacho: markers?.tacho ?? { channel: run.channels.find((c) => c.recorded.quantity === "voltage")?.channel ?? 1 },
});
