import { expect, test } from "vitest";
import { moved, placed } from "../../../../src/stations/study/results/Shapes";

test("a place that moves with the others has no angle", () => {
  expect(moved(-0.5, 0)).toBe("−0.5000");
  expect(moved(-0.5, 0.01)).toBe("−0.5001");
  expect(moved(0, 2)).toBe("2.000 ∠ 90°");
});

test("a direction has a sign only where it is against it", () => {
  expect(placed({ point: "3", direction: "Z", sign: "+" })).toBe("3 Z");
  expect(placed({ point: "3", direction: "Z", sign: "-" })).toBe("3 −Z");
});
