import { expect, test } from "vitest";
import type { RunDetail } from "../../../src/api/client";
import { overOf, toggled } from "../../../src/stations/study/laid";
import type { Recipe } from "../../../src/stations/study/lens/lenses";
import { corrected, recipeOf, rowOf, rowsOf } from "../../../src/stations/study/rows";

const channel = (n: number, name: string) => ({
  channel: n,
  recorded: { name, unit: "m/s²", quantity: "acceleration" },
  history: [{}],
});
const run = {
  samples: 1000,
  channels: [channel(1, "top"), channel(2, "foot")],
  math: [
    { channel: 3, name: "twist", is: "c1 - c2", unit: "" },
    { channel: null, name: "broken", is: "c9", unit: "" },
  ],
  corrections: [],
} as unknown as RunDetail;

test("computed channels stand after those recorded; what cannot be computed is left out", () => {
  expect(rowsOf(run).map((r) => r.name)).toEqual(["top", "foot", "twist"]);
  expect(rowOf(run, 3)).toMatchObject({ unit: "1", quantity: "computed", computed: "c1 - c2" });
  expect(rowOf(run, 4)).toBeUndefined();
});

test("formulas travel with a recipe only where a computed channel is asked for", () => {
  const plain = recipeOf(run, { lens: "spectrum" } as Recipe, [1, 2], [0.5, 2]);
  expect(plain).toEqual({ lens: "spectrum", channels: [1, 2], stretch: { from_s: 0.5, to_s: 2 } });
  const of = (recipe: object, channels: number[]) => recipeOf(run, recipe as Recipe, channels, [0, 1]);
  expect(of({ lens: "spectrum" }, [3])).toMatchObject({ math: [{ name: "twist", is: "c1 - c2" }] });
  // A reference or a tachometer may be one, too.
  expect(of({ lens: "response", reference: 3 }, [1])).toHaveProperty("math");
  expect(of({ lens: "response", reference: [1, 3] }, [2])).toHaveProperty("math");
  expect(of({ lens: "speed", tacho: { channel: 3 } }, [1])).toHaveProperty("math");
  expect(of({ lens: "speed", tacho: { channel: 2 } }, [1])).not.toHaveProperty("math");
});

test("results are made anew when something was put right, or the run grew", () => {
  const before = corrected(run);
  expect(corrected({ ...run, samples: 2000 })).not.toBe(before);
  expect(corrected({ ...run, corrections: [{}] } as unknown as RunDetail)).not.toBe(before);
  const again = { ...run, channels: [{ ...run.channels[0], history: [{}, {}] }, run.channels[1]] };
  expect(corrected(again as unknown as RunDetail)).not.toBe(before);
  expect(corrected({ ...run })).toBe(before);
});

test("runs are laid over by the address, six at most", () => {
  const of = (text: string) => overOf(new URLSearchParams(text));
  expect(of("over=3,5")).toEqual([3, 5]);
  expect(of("over=3,x,-1,0,2.5")).toEqual([3]);
  expect(of("")).toEqual([]);
  const on = toggled(new URLSearchParams("ch=7&over=3"), 5);
  expect([on.get("over"), on.get("ch")]).toEqual(["3,5", "7"]);
  expect(toggled(on, 3).get("over")).toBe("5");
  expect(toggled(new URLSearchParams("over=5"), 5).has("over")).toBe(false);
  expect(toggled(new URLSearchParams("over=1,2,3,4,5,6"), 7).get("over")).toBe("2,3,4,5,6,7");
});
