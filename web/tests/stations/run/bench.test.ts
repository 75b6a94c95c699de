import { expect, test } from "vitest";
import type { Channel } from "../../../src/api/client";
import { displays, fresh, nameOf, ROWS, usual } from "../../../src/stations/run/bench";

const at = { x: 0, y: 0 };

test("a new display shows something at once, within the grid", () => {
  for (const d of displays) {
    const pane = fresh(d.display, [7, 8, 9], at);
    expect(pane.x + pane.w).toBeLessThanOrEqual(12);
    expect(pane.h).toBeGreaterThan(0);
    expect(nameOf(d.display)).toBe(d.says);
  }
  expect(fresh("waterfall", [7, 8, 9], at).inputs).toEqual([7]);
  expect(fresh("waveform", [7, 8, 9], at)).toMatchObject({ inputs: [7, 8], seconds: 0.2 });
  expect(fresh("table", [7, 8, 9], at).inputs).toEqual([7, 8, 9]);
  expect(fresh("spectrum", [], at).inputs).toEqual([]);
});

const rig = (n: number, off: number[] = []) =>
  Array.from({ length: n }, (_, i) => ({ input: i + 1, on: !off.includes(i + 1) })) as Channel[];

test("the standard bench fits the screen without anything over anything else", () => {
  const panes = usual(rig(24, [8]));
  for (const [i, a] of panes.entries())
    for (const b of panes.slice(i + 1)) {
      const apart = a.x + a.w <= b.x || b.x + b.w <= a.x || a.y + a.h <= b.y || b.y + b.h <= a.y;
      expect(apart).toBe(true);
    }
  expect(Math.max(...panes.map((p) => p.y + p.h))).toBe(ROWS);
  // The pair is of inputs that are on.
  expect(panes[1]?.inputs).toEqual([7, 9]);
  expect(usual(rig(2))[1]?.inputs).toEqual([1, 2]);
  expect(usual([])[1]?.inputs).toEqual([]);
});
