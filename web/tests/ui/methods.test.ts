import { expect, test } from "vitest";
import glossary from "../../../docs/glossary.md?raw";
import text from "../../../docs/methods.md?raw";
import { lenses } from "../../src/stations/study/lens/lenses";
import { chosen, cursorMethods, lensMethods, methodsOf, unitMethods } from "../../src/ui/methods";

const all = methodsOf(text);

test("every lens, the cursors and the units are explained by the documentation", () => {
  for (const { lens } of lenses) {
    const titles = lensMethods(lens);
    expect(titles.length, lens).toBeGreaterThan(0);
    expect(
      chosen(all, titles).map((m) => m.title),
      lens,
    ).toEqual(titles);
  }
  for (const titles of [cursorMethods, unitMethods]) expect(chosen(all, titles).map((m) => m.title)).toEqual(titles);
});

test("the glossary is read word by word", () => {
  const words = methodsOf(glossary);
  expect(words.map((w) => w.title)).toContain("Hold-off");
  expect(words.every((w) => w.how.length > 10 && w.title !== "word")).toBe(true);
  expect(new Set(words.map((w) => w.title)).size).toBe(words.length);
});

test("rows and paragraphs are read without their markup", () => {
  const [row, words] = methodsOf(
    "| computation | how |\n| --- | --- |\n| `Level` | a \\| b **x** | up to 5 | ISO |\n\nAn **event** is a take.",
  );
  expect(row).toEqual({ title: "Level", how: "a | b x", limits: "up to 5", source: "ISO" });
  expect(words).toEqual({ title: "event", how: "An event is a take.", limits: "", source: "" });
  expect(all.every((m) => !/[`*]/.test(m.how + m.limits))).toBe(true);
});
