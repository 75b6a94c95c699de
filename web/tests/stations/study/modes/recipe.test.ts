import { expect, test } from "vitest";
import { recipeOf, sensorsOf, usual } from "../../../../src/stations/study/deflection/recipe";
import { picked, sent, usualModes, usualOperation } from "../../../../src/stations/study/modes/recipe";

const channel = (n: number, quantity: string, point: string) => ({
  channel: n,
  recorded: { name: `c${n}`, quantity, point, direction: "z", unit: quantity === "voltage" ? "V" : "m/s²" },
});
const run = {
  id: 4,
  duration_s: 120,
  sample_rate_hz: 5120,
  channels: [
    channel(1, "voltage", ""),
    channel(2, "acceleration", "14"),
    channel(3, "acceleration", ""),
    channel(4, "velocity", "7"),
    channel(5, "acceleration", "9"),
  ],
} as never;

test("what moves together are the sensors with a place, of the motion most of them measure", () => {
  expect(sensorsOf(run)).toEqual([2, 5]);
  expect(usual(run)).toMatchObject({ reference: 2, stretch: [0, 120], tacho: { channel: 1 }, unit: "m/s²" });
});

test("a deflection asks for one of frequency, band and order", () => {
  const wish = usual(run);
  expect(recipeOf(run, wish)).toMatchObject({ lens: "deflection", channels: [2, 5], frequency_hz: 50, reference: 2 });
  expect(recipeOf(run, { ...wish, how: "band" })).not.toHaveProperty("frequency_hz");
  const order = recipeOf(run, { ...wish, how: "order", order: 2 });
  expect(order).toMatchObject({ order: 2, tacho: { channel: 1, pulses_per_rev: 1 } });
  expect(order).not.toHaveProperty("block");
});

test("a run in operation is listened to no faster than the band needs", () => {
  const recipe = { ...usualOperation(run), band_hz: [40, 700] as [number, number] };
  expect(sent(recipe, run)).toMatchObject({
    channels: [2, 5],
    unit: "mm/s",
    prepare: [{ do: "resample", rate_hz: 1792 }],
  });
  expect(sent({ ...recipe, band_hz: [40, 1900] }, run)).not.toHaveProperty("prepare");
  const modes = usualModes([10, 1000]);
  expect(sent(modes, run)).toBe(modes);
});

test("a click takes a pole in, or out where it is near one", () => {
  expect(picked([58, 142], 299, 1)).toEqual([58, 142, 299]);
  expect(picked([58, 142], 141.5, 1)).toEqual([58]);
  expect(picked([], 58, 1)).toEqual([58]);
});
