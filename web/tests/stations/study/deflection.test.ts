import { expect, test } from "vitest";
import type { RunDetail } from "../../../src/api/client";
import { courseRecipe, recipeOf, sensorsOf, usual } from "../../../src/stations/study/deflection/recipe";

const channel = (number: number, quantity: string, unit: string, point = `${number}`) => ({
  channel: number,
  recorded: { quantity, unit, point },
});

const run = (part: object = {}) =>
  ({
    id: 9,
    sample_rate_hz: 5120,
    duration_s: 120,
    channels: [
      channel(1, "force", "N"),
      channel(2, "displacement", "µm"),
      channel(3, "acceleration", "m/s²"),
      channel(4, "acceleration", "m/s²", "  "),
      channel(5, "acceleration", "m/s²"),
      channel(6, "voltage", "V"),
    ],
    ...part,
  }) as unknown as RunDetail;

test("sensors are channels with a point, of the motion that most of them measure", () => {
  expect(sensorsOf(run())).toEqual([3, 5]);
  const two = {
    channels: [channel(1, "velocity", "mm/s"), channel(2, "velocity", "mm/s"), channel(3, "acceleration", "g")],
  };
  expect(sensorsOf(run(two))).toEqual([1, 2]);
  expect(sensorsOf(run({ channels: [channel(1, "force", "N")] }))).toEqual([]);
});

test("what is usual suits the run: all of it, the first sensor, pulses of a voltage", () => {
  const w = usual(run());
  expect(w).toMatchObject({ how: "frequency", stretch: [0, 120], reference: 3, unit: "m/s²" });
  expect(w.tacho).toEqual({ channel: 6, pulses_per_rev: 1 });
  // Two seconds of samples, as a power of two; an eighth of a short run.
  expect(w.block).toBe(8192);
  expect(usual(run({ duration_s: 2 })).block).toBe(1024);
  expect(usual(run({ duration_s: 0.01 })).block).toBe(128);
  expect(usual(run({ sample_rate_hz: 204_800 })).block).toBe(131_072);
});

test("a recipe has what its way of looking needs and nothing else", () => {
  const w = { ...usual(run()), frequency_hz: 58.3, band_hz: [40, 80] as [number, number], order: 2 };
  const base = { lens: "deflection", channels: [3, 5], stretch: { from_s: 0, to_s: 120 }, unit: "m/s²" };
  expect(recipeOf(run(), w)).toEqual({ ...base, reference: 3, block: 8192, frequency_hz: 58.3 });
  expect(recipeOf(run(), { ...w, how: "band" })).toEqual({ ...base, reference: 3, block: 8192, band_hz: [40, 80] });
  const order = { ...base, reference: 3, order: 2, tacho: { channel: 6, pulses_per_rev: 1 } };
  expect(recipeOf(run(), { ...w, how: "order" })).toEqual(order);
});

test("moment by moment a stretch is enough that is shorter than a block", () => {
  const w = { ...usual(run()), how: "time" as const, stretch: [10, 10.5] as [number, number] };
  const recipe = recipeOf(run(), w) as unknown as { block: number };
  expect(recipe.block).toBe(1024);
  expect(recipe.block * 2).toBeLessThanOrEqual(0.5 * 5120);
  expect(courseRecipe(run(), w)).toEqual({
    lens: "waveform",
    channels: [3, 5],
    stretch: { from_s: 10, to_s: 10.5 },
    unit: "m/s²",
    prepare: [{ do: "bandpass", band_hz: [10, 100] }],
  });
});
