import { afterAll, expect, test, vi } from "vitest";
import type { RunDetail } from "../../../src/api/client";
import { memory } from "../../memory";

const kept = new Map<string, string>();
vi.stubGlobal("localStorage", memory(kept));
afterAll(() => vi.unstubAllGlobals());
const { first, fitted, fresh, leave, left, lookedAt, probes, ready, ROWS } = await import(
  "../../../src/stations/study/bench"
);
const { block, fitting, oneOf, places } = await import("../../../src/stations/study/lens/fields");
const { at, lenses, lensOf, put } = await import("../../../src/stations/study/lens/lenses");

const channel = (number: number, quantity: string) => ({ channel: number, recorded: { quantity, unit: "" } });
const run = (part: object = {}) =>
  ({
    id: 1,
    sample_rate_hz: 51_200,
    duration_s: 30,
    channels: [
      channel(1, "acceleration"),
      channel(2, "displacement"),
      channel(3, "displacement"),
      channel(4, "voltage"),
    ],
    takes: [],
    ...part,
  }) as unknown as RunDetail;

test("every lens begins with a recipe of its own that fits the run", () => {
  for (const lens of lenses) {
    const recipe = lens.fresh(run(), undefined);
    expect(recipe.lens).toBe(lens.lens);
    const size = recipe.block as number | undefined;
    if (size !== undefined) expect(Math.log2(size) % 1).toBe(0);
  }
  expect(new Set(lenses.map((l) => l.lens)).size).toBe(lenses.length);
  expect(new Set(lenses.map((l) => l.says)).size).toBe(lenses.length);
  expect(lensOf("order_map").says).not.toBe(lensOf("spectrum").says);
});

test("a value is set inside of a recipe, and taken away with what is empty then", () => {
  const recipe = { lens: "order_track", tacho: { channel: 4 }, orders: [1, 2] };
  expect(at(recipe, "tacho.channel")).toBe(4);
  expect(at(recipe, "window.shape.alpha")).toBeUndefined();
  expect(put(recipe, "tacho.pulses_per_rev", 2)).toMatchObject({ tacho: { channel: 4, pulses_per_rev: 2 } });
  expect(put(recipe, "tacho.channel", undefined)).toEqual({ lens: "order_track", orders: [1, 2] });
  expect(put(recipe, "band_hz", [1, 9])).toMatchObject({ band_hz: [1, 9] });
  expect(recipe).toEqual({ lens: "order_track", tacho: { channel: 4 }, orders: [1, 2] });
});

test("blocks are powers of two that fit into the run", () => {
  expect(fitting(51_200)).toBe(32_768);
  expect(fitting(51_200, 0.1)).toBe(4096);
  expect(fitting(10)).toBe(128);
  expect(fitting(1e9)).toBe(2 ** 20);
  if (block.as !== "choice") throw new Error("blocks are chosen");
  const offered = block.options(run());
  expect(offered.map((o) => o.value)).toEqual(Array.from({ length: 14 }, (_, k) => 2 ** (k + 7)));
  expect(offered[5]?.says).toContain("12.5");
});

test("edges and a number of classes are one or the other, what was set last counts", () => {
  const classes = { lens: "distribution", classes: 64 };
  expect(oneOf({ ...classes, edges: [0, 1, 2] }, classes)).toEqual({ lens: "distribution", edges: [0, 1, 2] });
  const edges = { lens: "distribution", edges: [0, 1, 2] };
  expect(oneOf({ ...edges, classes: 32 }, edges)).toEqual({ lens: "distribution", classes: 32 });
  expect(oneOf({ ...classes, edges: [] }, { ...classes, edges: [0, 1] })).toEqual(classes);
});

test("along time an order lens asks for an interval, along speed for a step and a sweep", () => {
  const keys = (recipe: object) =>
    places({ lens: "order_map", ...recipe }).flatMap((p) => (typeof p === "string" ? [] : [p.key]));
  expect(keys({ along: "time" })).toEqual(["along", "interval_s"]);
  expect(keys({})).toEqual(["along", "step_rpm", "sweep"]);
});

test("benches that come along stand on the grid without lying over each other", () => {
  for (const bench of ready) {
    const panels = bench.panels(run(), undefined);
    for (const [k, p] of panels.entries()) {
      expect(p.x + p.w).toBeLessThanOrEqual(12);
      for (const q of panels.slice(k + 1)) {
        const apart = p.x + p.w <= q.x || q.x + q.w <= p.x || p.y + p.h <= q.y || q.y + q.h <= p.y;
        expect(apart, `${bench.name}: ${p.recipe.lens} and ${q.recipe.lens}`).toBe(true);
      }
    }
  }
  const usual = first(run()).panels;
  expect(usual.map((p) => p.recipe.lens)).toEqual(["waveform", "spectrum"]);
  expect(usual.reduce((sum, p) => sum + p.h, 0)).toBe(ROWS);
  expect(probes(run())).toEqual([2, 3]);
});

test("a bench fits a run that is much shorter", () => {
  const bench = { name: "mine", panels: [fresh("spectrum", run(), undefined, { x: 6 })] };
  bench.panels[0] = { ...bench.panels[0], recipe: { lens: "spectrum", block: 2 ** 18 } } as never;
  const short = fitted(bench, run({ duration_s: 1 })).panels[0];
  expect(short).toMatchObject({ x: 6, recipe: { lens: "spectrum", block: 16_384 } });
  expect(fitted(bench, run({ duration_s: 60 })).panels[0]?.recipe.block).toBe(2 ** 18);
});

test("a bench is found again as it was left, and one that makes no sense is not", () => {
  const bench = { name: "", panels: [fresh("orbit", run(), undefined, { channels: [2, 3] })] };
  leave(4, bench);
  expect(left(4)?.panels).toEqual(bench.panels);
  expect(left(4)?.name).not.toBe("");
  expect(left(5)).toBeUndefined();
  kept.set("study-bench-5", '{"name":"x","panels":[{"recipe":{"lens":"palmistry"}}]}');
  expect(left(5)).toBeUndefined();
  kept.set("study-bench-5", "{");
  expect(left(5)).toBeUndefined();
});

test("a change of how a panel is drawn leaves the rest of its look", () => {
  const panel = fresh("spectrum", run(), undefined, { look: { scale: "db", log_x: true } });
  const change = lookedAt({ scale: "log" });
  expect(typeof change === "function" && change(panel)).toEqual({ look: { scale: "log", log_x: true } });
});
