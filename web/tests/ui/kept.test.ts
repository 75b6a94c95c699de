import * as v from "valibot";
import { afterEach, expect, test, vi } from "vitest";
import { dropDraft, keepDraft, takeDraft } from "../../src/ui/draft";
import { same } from "../../src/ui/same";
import { stored } from "../../src/ui/stored";
import { memory } from "../memory";

afterEach(() => vi.unstubAllGlobals());

test("what is being typed is kept for its entry at its place alone", () => {
  vi.stubGlobal("sessionStorage", memory());
  vi.stubGlobal("window", { location: { pathname: "/c/1/plan" } });
  keepDraft("Duration", "60 s", "90 mi");
  expect(takeDraft("Duration", "60 s")).toBe("90 mi");
  expect(takeDraft("Duration", "30 s")).toBeUndefined();
  expect(takeDraft("Rate", "60 s")).toBeUndefined();
  vi.stubGlobal("window", { location: { pathname: "/c/2/plan" } });
  expect(takeDraft("Duration", "60 s")).toBeUndefined();
  // Somebody else's is not given up with one's own.
  dropDraft("Duration", "60 s");
  vi.stubGlobal("window", { location: { pathname: "/c/1/plan" } });
  expect(takeDraft("Duration", "60 s")).toBe("90 mi");
  dropDraft("Duration", "60 s");
  expect(takeDraft("Duration", "60 s")).toBeUndefined();
});

test("a draft that says what stands there, or cannot be read, is none", () => {
  const kept = memory();
  vi.stubGlobal("sessionStorage", kept);
  vi.stubGlobal("window", { location: { pathname: "/c/1/plan" } });
  keepDraft("Duration", "60 s", "60 s");
  expect(takeDraft("Duration", "60 s")).toBeUndefined();
  kept.setItem("draft", "{not json");
  expect(takeDraft("Duration", "60 s")).toBeUndefined();
});

test("what a browser kept of another shape counts as nothing", () => {
  const kept = memory();
  vi.stubGlobal("localStorage", kept);
  const schema = v.object({ width: v.number() });
  expect(stored("side", schema)).toBeUndefined();
  kept.setItem("side", '{"width": 300}');
  expect(stored("side", schema)).toEqual({ width: 300 });
  kept.setItem("side", '{"width": "wide"}');
  expect(stored("side", schema)).toBeUndefined();
  kept.setItem("side", "{");
  expect(stored("side", schema)).toBeUndefined();
});

test("two things say the same whatever the order of their keys, and with nothing for null", () => {
  expect(same({ a: 1, b: [2, 3] }, { b: [2, 3], a: 1 })).toBe(true);
  expect(same({ a: 1, b: null }, { a: 1 })).toBe(true);
  expect(same({ a: [1, 2] }, { a: [2, 1] })).toBe(false);
  expect(same({ a: 1 }, { a: "1" })).toBe(false);
  expect(same(undefined, null)).toBe(true);
});
