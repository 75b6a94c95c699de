/** What modes are looked for by: a recipe of the modes lens, kept for the campaign. */
import type { FunctionSet, OfSet } from "../../../api/taps";

export type ModesRecipe = {
  lens: "modes";
  band_hz: [number, number];
  max_order: number;
  references?: string[];
  pick: "stable" | number[];
  lasts: number;
  frequency_change: number;
  damping_change: number;
  mac: number;
  real: boolean;
};

export const usualModes = (band: [number, number]): ModesRecipe => ({
  lens: "modes",
  band_hz: band,
  max_order: 40,
  pick: "stable",
  lasts: 5,
  frequency_change: 0.01,
  damping_change: 0.05,
  mac: 0.98,
  real: false,
});

export const setOf = (s: FunctionSet): OfSet =>
  s.series != null ? { series: s.series, source: null } : { series: null, source: s.source };

export const nameOf = (s: FunctionSet) => `${s.series ?? ""} ${s.source}`;

const at = (campaign: number, set: string) => `modes ${campaign} ${set}`;

/** What was set for a set of responses last time. */
export function kept(campaign: number, set: string): ModesRecipe | undefined {
  try {
    const text = localStorage.getItem(at(campaign, set));
    return text ? (JSON.parse(text) as ModesRecipe) : undefined;
  } catch {
    return undefined;
  }
}

export const keep = (campaign: number, set: string, recipe: ModesRecipe) =>
  localStorage.setItem(at(campaign, set), JSON.stringify(recipe));

/** One more pole near a frequency, or one less where it is among those that are picked. */
export function picked(now: number[], hz: number, within: number): number[] {
  const near = now.reduce<number | undefined>(
    (best, f) => (best === undefined || Math.abs(f - hz) < Math.abs(best - hz) ? f : best),
    undefined,
  );
  if (near !== undefined && Math.abs(near - hz) < within) return now.filter((f) => f !== near);
  return [...now, hz].sort((a, b) => a - b);
}
