import { afterEach, expect, test } from "vitest";
import { crosshair, whereabouts } from "../../../src/ui/plot/crosshair";
import { fileCurves, fileOf, numbers, sized } from "../../../src/ui/plot/file";

afterEach(() => void crosshair.clear());

test("a crosshair stands on the axes it was put on, and is told to who follows", () => {
  let told = 0;
  const off = crosshair.follow(() => {
    told += 1;
  });
  crosshair.put({ frequency: 58.3 });
  expect([crosshair.at("frequency"), crosshair.at("time")]).toEqual([58.3, undefined]);
  crosshair.put({ time: 2 });
  expect(crosshair.at("frequency")).toBeUndefined();
  expect(told).toBe(2);
  off();
  crosshair.put({ time: 3 });
  expect(told).toBe(2);
});

test("a pin stays when the crosshair goes on, and is let go where it was set", () => {
  crosshair.pin("time", 1, 0.01);
  crosshair.put({ time: 1.25 });
  expect(crosshair.pinned("time")).toBe(1);
  expect(whereabouts("time", "s")).toBe("1.25\u202fs, 0.2500\u202fs = 1/4.000\u202fHz from the pin");
  crosshair.pin("time", 1.005, 0.01);
  expect(crosshair.pinned("time")).toBeUndefined();
  expect(whereabouts("time", "s")).toBe("1.25\u202fs");
  // Of a frequency the distance has no period.
  crosshair.pin("frequency", 50, 0.1);
  crosshair.put({ frequency: 62.5 });
  expect(whereabouts("frequency", "Hz")).toBe("62.5\u202fHz, 12.50\u202fHz from the pin");
  expect(whereabouts("order", "")).toBe("");
});

test("Esc has something to clear or leaves the key to others", () => {
  expect(crosshair.clear()).toBe(false);
  crosshair.put({ time: 1 });
  expect(crosshair.clear()).toBe(true);
  expect(crosshair.at("time")).toBeUndefined();
});

test("a saved plot is what is on the screen, gaps included", () => {
  expect(numbers(new Float32Array([1, Number.NaN, Number.POSITIVE_INFINITY]))).toEqual([1, null, null]);
  const curves = [
    { name: "gearbox", high: [1, Number.NaN] },
    { name: "held", high: [2, 3], low: [0, 1], steps: true },
  ];
  expect(fileCurves(curves)).toEqual([
    { name: "gearbox", values: [1, null], low: null, steps: false, spans: false },
    { name: "held", values: [2, 3], low: [0, 1], steps: true, spans: false },
  ]);
  const file = fileOf({
    label: "Spectrum",
    x: [0, 1],
    xLabel: "frequency, Hz",
    yLabel: "m/s²",
    curves,
    levels: [{ at: 4.5, says: "alarm" }],
    marks: [{ x: 1, says: "mesh" }],
    range: [0.5, 1],
    axes: { logY: true },
    box: [1000, 500],
  } as never);
  expect(file.x).toEqual({ label: "frequency, Hz", values: [0, 1], log: false, from: 0.5, to: 1 });
  expect(file.panes[0]).toMatchObject({ label: "m/s²", log: true, from: null, to: null });
  expect(file.panes[0]?.levels).toEqual([{ at: 4.5, says: "alarm" }]);
  expect(file.notes).toEqual([{ at: 1, says: "mesh" }]);
});

test("a picture has the proportions of the screen, within reason", () => {
  expect(sized([1000, 500])).toEqual([760, 380]);
  expect(sized([1000, 10])).toEqual([760, 240]);
  expect(sized([0, 500])).toEqual([760, 1400]);
});
