import { describe, expect, it } from "vitest";
import type { Channel } from "../../../../src/api/client";
import { listed, read, usual } from "../../../../src/stations/run/taps/usual";

const channel = (input: number, name: string, quantity: string, point: string, direction: string) =>
  ({ input, name, quantity, point, direction, on: true, label: String(input) }) as Channel;

describe("a list of points", () => {
  it("is read as it is typed and as it comes from a spreadsheet", () => {
    expect(read("12 z\n13\t-y; 14\n\n mast top +x ")).toEqual([
      { point: "12", direction: "z" },
      { point: "13", direction: "-y" },
      { point: "14", direction: "" },
      { point: "mast top", direction: "+x" },
    ]);
    const points = [
      { point: "7", direction: "−z" },
      { point: "8", direction: "" },
    ];
    expect(read(listed(points))).toEqual(points);
  });
});

describe("a series as it is usually begun", () => {
  const hammer = channel(1, "hammer", "force", "14", "-z");
  const geometry = {
    points: [
      { name: "1", x: 0, y: 0, z: 0 },
      { name: "2", x: 1, y: 0, z: 0 },
    ],
  };

  it("takes a block with three axes along through the specimen's points", () => {
    const block = ["x", "y", "z"].map((d, i) => channel(i + 2, `block ${d}`, "acceleration", "1", d));
    const plan = usual([hammer, ...block, channel(5, "tip", "acceleration", "14", "z")], geometry);
    expect(plan?.moving).toEqual([2, 3, 4]);
    expect(plan?.points).toEqual([
      { point: "1", direction: "" },
      { point: "2", direction: "" },
    ]);
  });

  it("lets a single sensor go in its own direction, and needs a hammer", () => {
    const one = channel(2, "mast", "velocity", "3", "y");
    expect(usual([hammer, one], geometry)?.points[0]).toEqual({ point: "1", direction: "y" });
    expect(usual([one], geometry)).toBeUndefined();
    expect(usual([hammer], geometry)).toBeUndefined();
  });
});
