import { describe, expect, it } from "vitest";
import { nearest, roomFor } from "../../../../src/stations/rig/specimen/overlay";

const at = (x: number, y: number, depth = 0.5) => ({ x, y, depth });

describe("names over a drawing", () => {
  it("leaves out a name that would lie on another, and keeps the one selected", () => {
    const all = [at(100, 100), at(104, 102), at(300, 100)];
    const names = ["101", "102", "103"];
    expect(roomFor(all, names, new Set(), 600, 400)).toEqual([0, 2]);
    expect(roomFor(all, names, new Set([1]), 600, 400)).toEqual([1, 2]);
  });
  it("writes nothing beyond the edge", () => {
    expect(roomFor([at(-5, 20), at(700, 20), at(20, 20)], ["a", "b", "c"], new Set(), 600, 400)).toEqual([2]);
  });
  it("picks the point in front where two lie over each other", () => {
    const all = [at(50, 50, 0.9), at(51, 50, 0.1), at(80, 50, 0)];
    expect(nearest(all, 50, 50)).toBe(1);
    expect(nearest(all, 76, 50)).toBe(2);
    expect(nearest(all, 65, 80)).toBeUndefined();
  });
});
