import { afterAll, expect, test, vi } from "vitest";
import { drawPulses } from "../../../src/stations/plan/pulses";

vi.stubGlobal("document", { documentElement: {} });
vi.stubGlobal("getComputedStyle", () => ({ getPropertyValue: (token: string) => ` ${token} ` }));
afterAll(() => vi.unstubAllGlobals());

/** What was drawn: the band, the two levels, the train. */
function drawn(low: number[], high: number[], tacho: object) {
  const lines: { colour: string; dash: number[]; points: [number, number][] }[] = [];
  let band = [0, 0];
  let points: [number, number][] = [];
  let dash: number[] = [];
  const ctx = {
    strokeStyle: "",
    clearRect: () => undefined,
    fillRect: (_x: number, y: number, _w: number, h: number) => {
      band = [y, y + h];
    },
    setLineDash: (d: number[]) => {
      dash = d;
    },
    beginPath: () => {
      points = [];
    },
    moveTo: (x: number, y: number) => points.push([x, y]),
    lineTo: (x: number, y: number) => points.push([x, y]),
    stroke() {
      lines.push({ colour: this.strokeStyle, dash, points });
    },
  };
  drawPulses({ ctx: ctx as never, w: 200, h: 100 }, low, high, tacho as never);
  const [threshold, back, train] = lines;
  return {
    band,
    threshold: threshold?.points[0]?.[1] ?? 0,
    back: back?.points[0]?.[1] ?? 0,
    train: train?.points ?? [],
  };
}

test("the train is within the picture, threshold and hysteresis where they are on its scale", () => {
  const d = drawn([0, 0, 5], [0, 5, 5], { threshold: 2.5, hysteresis: 0.5, slope: "rising" });
  expect(d.train.every(([x, y]) => x >= 0 && x <= 200 && y > 0 && y < 100)).toBe(true);
  const y = (v: number) => 100 - ((v + 0.5) / 6) * 100;
  expect(d.threshold).toBeCloseTo(y(2.5));
  expect(d.back).toBeCloseTo(y(2));
  expect(d.band[0]).toBeCloseTo(y(2.5));
  expect(d.band[1]).toBeCloseTo(y(2));
  expect(d.train.at(-1)).toEqual([200, y(5)]);
});

test("of falling pulses the hysteresis lies above the threshold", () => {
  const d = drawn([0, 0], [5, 5], { threshold: 2.5, hysteresis: 0.5, slope: "falling" });
  expect(d.back).toBeLessThan(d.threshold);
});

test("a threshold that no pulse reaches is in the picture, and so is a train without swing", () => {
  const high = drawn([0, 0], [1, 1], { threshold: 12, hysteresis: 1, slope: "rising" });
  expect(high.threshold).toBeGreaterThan(0);
  expect(high.threshold).toBeLessThan(high.train[0]?.[1] ?? 0);
  const still = drawn([2], [2], { threshold: 2, hysteresis: 0, slope: "rising" });
  expect(still.train.every(([x, y]) => Number.isFinite(x) && Number.isFinite(y))).toBe(true);
});
