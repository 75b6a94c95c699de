import { expect, test } from "vitest";
import { between, boxOf, walked } from "../../src/ui/cells";

test("a box holds both of its corners, whichever was first", () => {
  const box = { top: 2, bottom: 7, left: 1, right: 4 };
  expect(boxOf({ row: 7, column: 1 }, { row: 2, column: 4 })).toEqual(box);
  expect(boxOf({ row: 2, column: 4 }, { row: 7, column: 1 })).toEqual(box);
  expect(boxOf({ row: 3, column: 3 }, { row: 3, column: 3 })).toEqual({ top: 3, bottom: 3, left: 3, right: 3 });
});

test("a number stays between two others", () => {
  expect([between(-3, 0, 9), between(12, 0, 9), between(4, 0, 9)]).toEqual([0, 9, 4]);
});

const press = (key: string, ctrlKey = false, metaKey = false) => ({ key, ctrlKey, metaKey });
const at = { row: 20, column: 3 };

test("arrows walk a cell, pages fifteen rows", () => {
  expect(walked(press("ArrowUp"), at, 256)).toEqual({ row: 19, column: 3 });
  expect(walked(press("ArrowRight"), at, 256)).toEqual({ row: 20, column: 4 });
  expect(walked(press("PageDown"), at, 256)).toEqual({ row: 35, column: 3 });
  expect(walked(press("a"), at, 256)).toBeUndefined();
  expect(walked(press("Enter"), at, 256)).toBeUndefined();
});

test("Home and End go along the row, with Ctrl to the first and last one", () => {
  // What is too far is brought back by whoever walks.
  expect(walked(press("Home"), at, 256)?.column).toBeLessThan(0);
  expect(walked(press("End"), at, 256)?.column).toBeGreaterThan(1000);
  expect(walked(press("Home", true), at, 256)).toEqual({ row: 0, column: 3 });
  expect(walked(press("End", false, true), at, 256)).toEqual({ row: 255, column: 3 });
  expect(walked(press("ArrowDown", true), at, 256)?.row).toBeGreaterThan(255);
});
