import { expect, test } from "vitest";
import { sentence } from "../../../src/ui/plot/sentence";

test("a plot is told with its highest and lowest places", () => {
  const curve = { name: "gearbox top", high: [1, Number.NaN, 4.5, 2] };
  expect(sentence("Spectrum", [0, 10, 20, 30], [curve], "frequency, Hz", "peak, m/s²")).toBe(
    "Spectrum: peak over frequency from 0 to 30.00 Hz; gearbox top: highest 4.500 m/s² at 20.00 Hz, lowest 1.000 m/s² at 0 Hz",
  );
  const band = { name: "a", high: [1, 2], low: [-3, -1] };
  expect(sentence("W", [0, 1], [band], "time, s", "")).toContain(
    "a: highest 2.000 at 1.000 s, lowest -3.000 at 0 s".replace("-", "\u2212"),
  );
});

test("a plot without values says so", () => {
  expect(sentence("W", [], [], "time, s", "")).toBe("W: nothing is drawn yet");
  const none = { name: "a", high: [Number.NaN, Number.NaN] };
  expect(sentence("W", [0, 1], [none], "time, s", "V")).toContain("a has no values");
  const many = Array.from({ length: 10 }, (_, k) => ({ name: `c${k}`, high: [1, 2] }));
  expect(sentence("W", [0, 1], many, "time, s", "V")).toContain("; and 2 more");
});
