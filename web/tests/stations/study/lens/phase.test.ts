import { expect, test } from "vitest";
import type { Analysis } from "../../../../src/api/client";
import { coherenceOf, phases } from "../../../../src/stations/study/lens/phase";

type Trace = Analysis["traces"][number];
const rad = (deg: number) => (deg * Math.PI) / 180;
const curve = (deg: number[], size: number[] = []) =>
  ({
    name: "a",
    channel: 1,
    quantity: "H1",
    unit: "",
    values: [],
    re: deg.map((d, i) => (size[i] ?? 1) * Math.cos(rad(d))),
    im: deg.map((d, i) => (size[i] ?? 1) * Math.sin(rad(d))),
  }) as unknown as Trace;
const round = (v: number[]) => v.map((x) => Math.round(x * 1e6) / 1e6);

test("a phase turns at 180 degrees, or runs on", () => {
  const falling = curve([170, -170, -150, 20]);
  expect(round(phases(falling, {}))).toEqual([170, -170, -150, 20]);
  expect(round(phases(falling, { unwrapped: true }))).toEqual([170, 190, 210, 380]);
  expect(round(phases(falling, { turn: 20 }))).toEqual([-170, -150, -130, 40]);
});

test("a phase is left out where amplitude or coherence say nothing", () => {
  const t = curve([10, 20, 30], [1, 0.01, 0.5]);
  expect(round(phases(t, { phase_from: 0.1 }))).toEqual([10, Number.NaN, 30]);
  expect(round(phases(t, { phase_from: 0.5 }, [0.9, 0.9, 0.2]))).toEqual([10, 20, Number.NaN]);
  expect(round(phases(t, {}, [0, 0, 0]))).toEqual([10, 20, 30]);
});

test("coherence is found beside its response", () => {
  const coherence = {
    ...curve([]),
    re: undefined,
    quantity: "coherence",
    channel: 2,
    values: [0.5],
  } as unknown as Trace;
  expect(coherenceOf(curve([0]), [curve([0]), coherence])).toEqual([0.5]);
  expect(coherenceOf(curve([0]), [curve([0])])).toBeUndefined();
});
