import { expect, test } from "vitest";
import { may } from "../../src/people/me";

test("each role may do what the ones before it may", () => {
  expect(may("watch", "watch")).toBe(true);
  expect(may("watch", "work")).toBe(false);
  expect(may("measure", "work")).toBe(true);
  expect(may("work", "measure")).toBe(false);
  expect(may("own", "measure")).toBe(true);
  expect(may(null, "watch")).toBe(false);
});
