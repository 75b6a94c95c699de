import { expect, test } from "vitest";
import type { Analysis } from "../../../src/api/client";
import { overOf, toggled } from "../../../src/stations/study/laid";
import { overlaid } from "../../../src/stations/study/lens/overlay";

const result = (name: string, values: number[], own: number[], part: object = {}) =>
  ({ axes: [{ name, unit: "", values }], traces: [{ name: "gearbox", values: own, ...part }] }) as unknown as Analysis;

test("curves over the same axis lie over each other as they are", () => {
  const a = result("frequency", [0, 1, 2], [5, 6, 7]);
  const b = result("frequency", [0, 1.0000001, 2], [1, 2, 3]);
  const both = overlaid(a, "run 1", [{ says: "run 2", result: b, shift_s: 4 }]);
  expect(both.joined).toBe(false);
  expect(both.axes[0]?.values).toEqual([0, 1, 2]);
  expect(both.traces.map((t) => [t.name, t.values])).toEqual([
    ["gearbox, run 1", [5, 6, 7]],
    ["gearbox, run 2", [1, 2, 3]],
  ]);
});

test("axes that do not agree are brought together, each curve at its own places", () => {
  const a = result("speed", [100, 200, 300], [5, 6, 7]);
  const b = result("speed", [150, 200], [1, 2]);
  const both = overlaid(a, "run 1", [{ says: "run 2", result: b, shift_s: 0 }]);
  expect(both.joined).toBe(true);
  expect(both.axes[0]?.values).toEqual([100, 150, 200, 300]);
  expect(both.traces[0]?.values).toEqual([5, Number.NaN, 6, 7]);
  expect(both.traces[1]?.values).toEqual([Number.NaN, 1, 2, Number.NaN]);
});

test("times are moved back by their shift, also of complex curves", () => {
  const a = result("time", [0, 1, 2], [], { re: [1, 2, 3], im: [0, 0, 1] });
  const b = result("time", [10, 11, 12], [], { re: [4, 5, 6], im: [9, 9, 9] });
  const both = overlaid(a, "run 1", [{ says: "run 2", result: b, shift_s: 10 }]);
  expect(both.axes[0]?.values).toEqual([0, 1, 2]);
  expect(both.traces[1]).toMatchObject({ re: [4, 5, 6], im: [9, 9, 9], values: [] });
  const off = overlaid(a, "run 1", [{ says: "run 2", result: b, shift_s: 9 }]);
  expect(off.axes[0]?.values).toEqual([0, 1, 2, 3]);
  expect(off.traces[1]?.re).toEqual([Number.NaN, 4, 5, 6]);
});

test("a map stays by itself, and so does what nothing lies behind", () => {
  const map = { axes: [{ values: [1] }, { values: [1] }], traces: [] } as unknown as Analysis;
  const one = result("time", [0], [1]);
  expect(overlaid(map, "run 1", [{ says: "run 2", result: one, shift_s: 0 }])).toBe(map);
  expect(overlaid(one, "run 1", [])).toBe(one);
  expect(overlaid(one, "run 1", [{ says: "run 2", result: map, shift_s: 0 }]).traces.length).toBe(1);
});

test("the address keeps six runs that lie over the studied one", () => {
  const params = new URLSearchParams("over=4,x,-2,7,1.5&by=speed");
  expect(overOf(params)).toEqual([4, 7]);
  expect(toggled(params, 9).get("over")).toBe("4,7,9");
  expect(toggled(params, 4).toString()).toBe("over=7&by=speed");
  expect(toggled(new URLSearchParams("over=4"), 4).has("over")).toBe(false);
  expect(toggled(new URLSearchParams("over=1,2,3,4,5,6"), 7).get("over")).toBe("2,3,4,5,6,7");
});
