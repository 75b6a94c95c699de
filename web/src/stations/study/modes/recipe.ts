/** What modes are looked for by: a recipe of the modes lens, kept for the campaign. */
import type { RunDetail } from "../../../api/client";
import type { FunctionSet, OfSet } from "../../../api/taps";
import { sensorsOf } from "../deflection/recipe";

export type ModesRecipe = {
  lens: "modes" | "operational_modes";
  band_hz: [number, number];
  max_order: number;
  /** Of responses by their points; of a run in operation by channels. */
  references?: (string | number)[];
  /** Of a run in operation: how far correlations reach, s. */
  longest_lag_s?: number;
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

/** What a run in operation is listened to by where nothing was set: what is random scatters more than what was hit. */
export const usualOperation = (run: RunDetail): ModesRecipe => ({
  ...usualModes([10, Math.round(Math.min(1000, run.sample_rate_hz * 0.39))]),
  lens: "operational_modes",
  longest_lag_s: 1,
  lasts: 8,
  damping_change: 0.2,
  mac: 0.95,
});

/** A recipe as it is carried out: a run in operation by its sensors with a place, no faster than the band needs; of
 * accelerations by their velocities, so that what swings fast above the band does not drown what swings slowly. */
export function sent(recipe: ModesRecipe, run: RunDetail | undefined): object {
  if (recipe.lens === "modes" || !run) return recipe;
  const rate_hz = Math.ceil(2.56 * recipe.band_hz[1]);
  const slower = rate_hz < 0.8 * run.sample_rate_hz;
  const channels = sensorsOf(run);
  const quantity = run.channels.find((c) => c.channel === channels[0])?.recorded.quantity;
  const unit = quantity === "acceleration" ? { unit: "mm/s" } : {};
  return { ...recipe, channels, ...unit, ...(slower ? { prepare: [{ do: "resample", rate_hz }] } : {}) };
}

/** Where modes are found: a set of responses, or a run in operation. */
export type From = { set: FunctionSet; run?: undefined } | { run: RunDetail; set?: undefined };

export const ofFrom = (from: From): OfSet =>
  from.set ? setOf(from.set) : { series: null, source: null, run: from.run.id };

export const nameFrom = (from: From) => (from.set ? nameOf(from.set) : `run ${from.run.id}`);

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
