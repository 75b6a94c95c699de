import { describe, expect, it } from "vitest";
import { stepsOf } from "../../src/shell/firstSteps";

describe("the first run", () => {
  it("leads to the first thing that is not there yet", () => {
    const nothing = { connected: false, on: 0, runs: 0, run: undefined, spectrum: false, report: false };
    type Is = Parameters<typeof stepsOf>[0];
    const next = (is: Partial<Is>) => stepsOf({ ...nothing, ...is }).find((s) => !s.done)?.to;
    expect(next({})).toBe("/rig/front-ends");
    expect(next({ connected: true })).toBe("/rig");
    expect(next({ connected: true, on: 1 })).toBe("/run");
    expect(next({ connected: true, on: 1, runs: 2, run: 7 })).toBe("/study/7");
    expect(next({ connected: true, on: 1, runs: 2, run: 7, spectrum: true })).toBe("/report");
    expect(next({ connected: true, on: 1, runs: 2, run: 7, spectrum: true, report: true })).toBeUndefined();
  });
});
