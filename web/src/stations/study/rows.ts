/** Channels of a run as the Study station lists them: those recorded, and those computed after them. */
import type { RunDetail } from "../../api/client";
import type { Recipe } from "./lens/lenses";

export type Row = { channel: number; name: string; unit: string; quantity: string; computed?: string };

export const rowsOf = (run: RunDetail): Row[] => [
  ...run.channels.map((c) => ({
    channel: c.channel,
    name: c.recorded.name,
    unit: c.recorded.unit,
    quantity: c.recorded.quantity as string,
  })),
  ...run.math.flatMap((m) =>
    m.channel == null
      ? []
      : [{ channel: m.channel, name: m.name, unit: m.unit || "1", quantity: "computed", computed: m.is }],
  ),
];

export const rowOf = (run: RunDetail, channel: number) => rowsOf(run).find((r) => r.channel === channel);

/** What results of a run hang on beside the recipe: they are made anew when it changes. */
export const corrected = (run: RunDetail) =>
  `${run.samples} ${run.channels.map((c) => c.history.length).join()} ${run.corrections.length} ${run.math.map((m) => m.is).join("|")}`;

/** A recipe's channel numbers beside its list. */
function named(recipe: Recipe): number[] {
  const { tacho, reference } = recipe as { tacho?: { channel?: number }; reference?: number | number[] };
  return [tacho?.channel, reference].flat().filter((n): n is number => typeof n === "number");
}

/** A lens's recipe with the channels and the stretch it is carried out on, and the formulas it needs. */
export function recipeOf(run: RunDetail, recipe: Recipe, channels: number[], [from_s, to_s]: [number, number]) {
  const computed = [...channels, ...named(recipe)].some((c) => c > run.channels.length);
  const math = run.math.flatMap((m) => (m.channel == null ? [] : [{ name: m.name, is: m.is }]));
  return { ...recipe, channels, stretch: { from_s, to_s }, ...(computed ? { math } : {}) };
}
