import { expect, test } from "vitest";
import { AS_IT_SAYS, channelsOf, isTaken, type Look, withChannel, withTaken } from "../../src/bring/reading";

const channel = (source: number, name: string, unit: string, taken_as?: string) => ({
  source,
  name,
  unit,
  taken_as: taken_as ?? null,
  point: "",
  direction: "",
  first: [],
});
const look = {
  channels: [channel(1, "ramp", "m/s2", "m/s²"), channel(2, "hinge", "furlong"), channel(3, "force", "N", "N")],
} as unknown as Look;

test("what is not said is as the file has it", () => {
  expect(channelsOf(look).map((c) => c.unit)).toEqual(["m/s²", "furlong", "N"]);
  expect(isTaken(AS_IT_SAYS, 2)).toBe(true);
});

test("changing one channel names all of them", () => {
  const changed = withChannel(look, AS_IT_SAYS, 2, { unit: "mm" });
  expect(changed.channels?.map((c) => c.unit)).toEqual(["m/s²", "mm", "N"]);
  expect(withChannel(look, changed, 2, { name: "hinge, port" }).channels?.[1]).toMatchObject({
    unit: "mm",
    name: "hinge, port",
  });
});

test("channels are left out and taken again in their order", () => {
  const without = withTaken(look, AS_IT_SAYS, 1, false);
  expect(without.channels?.map((c) => c.source)).toEqual([2, 3]);
  expect(isTaken(without, 1)).toBe(false);
  expect(withTaken(look, without, 1, true).channels?.map((c) => c.source)).toEqual([1, 2, 3]);
});
