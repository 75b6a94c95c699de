import { expect, test } from "vitest";
import migration from "../../../crates/store/migrations/0010_deleted_results_and_news.sql?raw";
import { subjectsOf } from "../../src/api/news";

test("every table that is told is behind something that is shown", () => {
  const told = [...(/FOREACH told IN ARRAY ARRAY\[([^\]]+)\]/.exec(migration)?.[1] ?? "").matchAll(/'(\w+)'/g)];
  expect(told.length).toBeGreaterThan(15);
  for (const [, table] of told) expect(subjectsOf([table ?? ""]).length, table).toBeGreaterThan(0);
});

test("subjects are asked for once, and all of them where anything may have changed", () => {
  expect(subjectsOf(["job", "job_part"])).toEqual(["job", "done-by-itself"]);
  expect(subjectsOf(["a table of tomorrow"])).toEqual([]);
  expect(subjectsOf(["take", "*"])).toEqual(expect.arrayContaining(["runs", "rig", "job"]));
});
