import { describe, expect, it } from "vitest";
import { columnsOf, type Geometry, pointsOf, textOf } from "../../../../src/stations/rig/specimen/tables";

const g: Geometry = {
  called: ["axial", "", "vertical"],
  points: [
    { name: "1", x: 0.1 + 0.2, y: 0, z: -0.0015, turned: [0, 0, 90] },
    { name: "2", x: 1, y: 0, z: 0, turned: [0, 0, 0] },
    { name: "3", x: 1, y: 1, z: 0, turned: [0, 0, 0] },
  ],
  lines: [["1", "2"]],
  faces: [["3", "2", "1"]],
};

describe("tables of a geometry", () => {
  it("shows lengths in the unit of the table", () => {
    expect(textOf(g, "m", "points", 0, "x")).toBe("0.3");
    expect(textOf(g, "mm", "points", 0, "x")).toBe("300");
    expect(textOf(g, "mm", "points", 0, "z")).toBe("-1.5");
    expect(textOf(g, "m", "points", 0, "turned_z")).toBe("90°");
    expect(textOf(g, "m", "points", 9, "x")).toBe("");
    expect(textOf(g, "m", "faces", 0, "through")).toBe("3; 2; 1");
  });
  it("has turns only where they are asked for", () => {
    expect(columnsOf("points", "mm", false).map((c) => c.head)).toEqual(["Point", "x, mm", "y, mm", "z, mm"]);
    expect(columnsOf("points", "mm", true)).toHaveLength(7);
  });
  it("knows the points of lines and faces", () => {
    expect(pointsOf(g, "faces", [0])).toEqual([2, 1, 0]);
    expect(pointsOf(g, "lines", [0, 7])).toEqual([0, 1]);
  });
});
