import { afterAll, expect, test, vi } from "vitest";
import { memory } from "../memory";

const kept = new Map<string, string>();
const page = { dataset: {} as Record<string, string> };
vi.stubGlobal("localStorage", memory(kept));
vi.stubGlobal("document", { documentElement: page });
afterAll(() => vi.unstubAllGlobals());
const { shade } = await import("../../src/ui/shade");
const { setTheme, themeNow } = await import("../../src/ui/theme");
const { roundUp } = await import("../../src/ui/canvas");

/** How bright a colour looks, 0 to 255. */
const bright = ([r, g, b]: [number, number, number]) => 0.2126 * r + 0.7152 * g + 0.0722 * b;

test("every map gets darker from end to end, so that it reads in grey", () => {
  for (const map of ["tide", "ember", "grey"]) {
    let last = Number.POSITIVE_INFINITY;
    for (let k = 0; k <= 100; k++) {
      const now = bright(shade(k / 100, map));
      expect(now, `${map} at ${k} %`).toBeLessThan(last);
      last = now;
    }
  }
});

test("shares beyond the ends have the colours of the ends, an unknown map the usual ones", () => {
  expect(shade(-3)).toEqual(shade(0));
  expect(shade(7)).toEqual(shade(1));
  expect(shade(0.3, "rainbow")).toEqual(shade(0.3, "tide"));
});

test("at night what is low is dark, and the choice is kept", () => {
  const day = [shade(0), shade(1)];
  setTheme("night");
  expect([themeNow(), page.dataset.theme, kept.get("colours")]).toEqual(["night", "night", "night"]);
  expect([shade(1), shade(0)]).toEqual(day);
  setTheme("day");
  expect([shade(0), page.dataset.theme]).toEqual([day[0], ""]);
});

test("the end of a scale is the next of 1, 2, 5 and their tens", () => {
  expect([0.3, 1, 1.01, 4, 6, 0.0021, 130].map(roundUp)).toEqual([0.5, 1, 2, 5, 10, 0.005, 200]);
});
