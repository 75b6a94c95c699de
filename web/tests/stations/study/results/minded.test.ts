import { createElement } from "react";
import { renderToStaticMarkup } from "react-dom/server";
import { expect, test } from "vitest";
import type { Analysis } from "../../../../src/api/client";
import { Minded } from "../../../../src/stations/study/results/Minded";
import { Computing, ComputingLine } from "../../../../src/ui/Computing";

const shown = (cautions: string[], strange: string[]) => {
  const analysis = { cautions: cautions.map((says) => ({ says })) } as unknown as Analysis;
  return renderToStaticMarkup(createElement(Minded, { analysis, strange }));
};

test("cautions come first, then five of the points that the specimen does not have", () => {
  expect(shown([], [])).toBe("");
  const two = shown(["mode 1 is 12 % complex"], ["31", "32"]);
  expect(two.indexOf("12 % complex")).toBeLessThan(two.indexOf("no point for 31, 32<"));
  expect(shown([], ["1", "2", "3", "4", "5"])).toContain("no point for 1, 2, 3, 4, 5<");
  expect(shown([], ["1", "2", "3", "4", "5", "6"])).toContain("no point for 1, 2, 3, 4, 5 and others<");
});

const idle = { isFetching: false, share: undefined, ahead: undefined, stopped: false, stop() {}, again() {} };
const said = (part: object) => renderToStaticMarkup(createElement(Computing, { of: { ...idle, ...part } }));

test("a computation says how far it is, whose turn it is, and that it was stopped", () => {
  expect(said({})).toBe("");
  expect(said({ isFetching: true })).toContain("computing …");
  expect(said({ isFetching: true, share: 0.416 })).toMatch(/42 %.*Stop/);
  expect(said({ isFetching: true, ahead: 0 })).toContain("next in turn");
  expect(said({ isFetching: true, ahead: 3 })).toContain("3 before it");
  expect(said({ stopped: true })).toMatch(/stopped.*Retry/);
});

test("a line of its own comes only once it takes longer", () => {
  const line = (part: object) =>
    renderToStaticMarkup(createElement(ComputingLine, { says: "Listening to run 2", of: { ...idle, ...part } }));
  expect(line({ isFetching: true })).toBe("");
  expect(line({ isFetching: true, share: 0.1 })).toContain("Listening to run 2");
  expect(line({ stopped: true })).toContain("Retry");
});
