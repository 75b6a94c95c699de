/** How a run is looked at to see its specimen move: what the page asks for, and the recipes that follow. */

import type { RunDetail, Schema } from "../../../api/client";
import type { Range } from "../../../ui/plot/Plot";
import type { Recipe } from "../KeepDialog";
import type { Course } from "../modes/motion";

export type How = "frequency" | "band" | "order" | "time";

export type Wish = {
  how: How;
  stretch: Range;
  /** Channel the others are seen against. */
  reference: number;
  frequency_hz: number;
  band_hz: Range;
  order: number;
  tacho: { channel: number; pulses_per_rev: number };
  unit: string;
  block: number;
};

/** Most frames of a course: what a page holds and plays fluently. */
export const MOST_FRAMES = 4000;

/** Units of motion that a shape can be shown in; what is measured otherwise is integrated. */
export const UNITS = ["m/s²", "mm/s", "mm"];

/** Channels with a place on the specimen, of the kind of motion that most of them measure. */
export function sensorsOf(run: RunDetail): number[] {
  const there = run.channels.filter(
    (c) => c.recorded.point.trim() !== "" && ["acceleration", "velocity", "displacement"].includes(c.recorded.quantity),
  );
  const count = new Map<string, number>();
  for (const c of there) count.set(c.recorded.quantity, (count.get(c.recorded.quantity) ?? 0) + 1);
  const most = [...count].sort((a, b) => b[1] - a[1])[0]?.[0];
  return there.filter((c) => c.recorded.quantity === most).map((c) => c.channel);
}

/** What is looked at where nothing was set. */
export function usual(run: RunDetail): Wish {
  const pulses = run.channels.find((c) => c.recorded.quantity === "voltage")?.channel;
  return {
    how: "frequency",
    stretch: [0, run.duration_s],
    reference: sensorsOf(run)[0] ?? 1,
    frequency_hz: 50,
    band_hz: [10, 100],
    order: 1,
    tacho: { channel: pulses ?? 1, pulses_per_rev: 1 },
    unit: run.channels.find((c) => c.channel === sensorsOf(run)[0])?.recorded.unit ?? "m/s²",
    // Lines about half a hertz apart, as long as some blocks fit in.
    block: 2 ** Math.max(7, Math.min(17, Math.floor(Math.log2(run.sample_rate_hz * Math.min(2, run.duration_s / 8))))),
  };
}

/** The recipe of the lens deflection; of what moves in time the band alone, so that points and places are known. */
export function recipeOf(run: RunDetail, w: Wish): Recipe {
  const rest = {
    lens: "deflection",
    channels: sensorsOf(run),
    stretch: { from_s: w.stretch[0], to_s: w.stretch[1] },
    unit: w.unit,
  };
  if (w.how === "order") return { ...rest, reference: w.reference, order: w.order, tacho: w.tacho };
  // Moment by moment a short stretch is enough, also where a block would not fit in.
  const fits = 2 ** Math.max(4, Math.floor(Math.log2(((w.stretch[1] - w.stretch[0]) * run.sample_rate_hz) / 2)));
  const lines = { ...rest, reference: w.reference, block: w.how === "time" ? Math.min(w.block, fits) : w.block };
  return w.how === "frequency" ? { ...lines, frequency_hz: w.frequency_hz } : { ...lines, band_hz: w.band_hz };
}

/** The recipe of what moves moment by moment: samples of the band, as many frames as are fluent. */
export const courseRecipe = (run: RunDetail, w: Wish) => ({
  lens: "waveform",
  channels: sensorsOf(run),
  stretch: { from_s: w.stretch[0], to_s: w.stretch[1] },
  unit: w.unit,
  prepare: [{ do: "bandpass", band_hz: w.band_hz }],
});

/** Frames of what was measured at each place, the largest motion of all 1; every so many samples where there are more
 * than are fluent. Points that no channel measures stay. */
export function courseOf(
  analysis: Pick<Schema["Analysis"], "axes" | "traces">,
  places: (Schema["Placed"] | null)[],
  points: number,
): Course {
  const all = analysis.axes[0]?.values ?? [];
  const every = Math.max(1, Math.ceil(all.length / MOST_FRAMES));
  const seconds = all.filter((_, k) => k % every === 0);
  const moves = new Float32Array(3 * points * seconds.length);
  const measured = new Array<boolean>(points).fill(false);
  analysis.traces.forEach((t, c) => {
    const at = places[c];
    if (!at) return;
    measured[at.point] = true;
    for (let k = 0; k < seconds.length; k++) {
      const x = t.values?.[k * every] ?? 0;
      const from = 3 * (points * k + at.point);
      for (let axis = 0; axis < 3; axis++)
        moves[from + axis] = (moves[from + axis] as number) + x * (at.way[axis] ?? 0);
    }
  });
  let largest = 0;
  for (let i = 0; i < moves.length; i += 3)
    largest = Math.max(largest, Math.hypot(moves[i] as number, moves[i + 1] as number, moves[i + 2] as number));
  if (largest > 0) for (let i = 0; i < moves.length; i++) moves[i] = (moves[i] as number) / largest;
  return { seconds, moves, measured };
}
