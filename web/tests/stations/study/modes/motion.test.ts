import { describe, expect, it } from "vitest";
import { places, reach } from "../../../../src/stations/study/modes/motion";
import { picked } from "../../../../src/stations/study/modes/recipe";

const geometry = {
  points: [
    { name: "1", x: 0, y: 0, z: 0 },
    { name: "2", x: 3, y: 4, z: 0 },
  ],
};
const motion = {
  mode: 1,
  moves: [
    [0, 0, 1, 0, 0, 0],
    [0, 0, 0, 0, 0.5, 0],
  ],
  measured: [true, false],
};

describe("a shape that moves", () => {
  it("turns through its real and imaginary parts", () => {
    expect(reach(geometry)).toBe(5);
    const at = (angle: number, still = false) => [...places(geometry, motion, { angle, size: 1, still }).at];
    expect(at(0)[2]).toBeCloseTo(0.625, 6);
    expect(at(0).slice(3)).toEqual([3, 4, 0]);
    // A quarter of a turn later the wave is at the other point.
    const later = at(Math.PI / 2);
    expect(later[2]).toBeCloseTo(0, 6);
    expect(later[4]).toBeCloseTo(4 - 0.3125, 6);
    expect(at(Math.PI / 2, true)[4]).toBe(4);
  });

  it("tells how far each point goes", () => {
    expect([...places(geometry, motion, { angle: 1, size: 2, still: false }).far]).toEqual([1, 0.5]);
  });
});

describe("poles that are picked", () => {
  it("come in where none is near, and go where one is", () => {
    expect(picked([58, 142], 100, 0.4)).toEqual([58, 100, 142]);
    expect(picked([58, 142], 142.2, 0.4)).toEqual([58]);
    expect(picked([], 58, 0.2)).toEqual([58]);
  });
});
