import { expect, test } from "vitest";
import { digits } from "../../src/ui/format";
import { cellText, csvOf, tsvOf } from "../../src/ui/tables";

test("numbers leave the page as programs read them", () => {
  for (const x of [0, 1.5, -12.25, 18_400, 1_234_567, -3.2e-7, 5e8]) expect(Number(cellText(digits(x, 7)))).toBe(x);
  expect(cellText("–")).toBe("");
  expect(cellText(" 3 takes\n missed ")).toBe("3 takes missed");
});

test("texts with commas, quotes and formulas stay texts", () => {
  expect(
    csvOf([
      ["a, b", 'say "x"'],
      ["=1+1", "-5"],
    ]),
  ).toBe('"a, b","say ""x"""\r\n\'=1+1,-5');
  expect(tsvOf([["-cmd", "-.5"]])).toBe("'-cmd\t-.5");
});
