import { expect, test } from "vitest";
import type { ReportBody, Schema } from "../../../src/api/client";
import { holds, summary } from "../../../src/stations/report/CheckReport";
import { asFile, fromFile } from "../../../src/stations/report/Templates";

test("a template's file is read as it was written, and what is none is told", () => {
  const body: ReportBody = { title: "Acceptance", blocks: [{ id: 1, show: { what: "head" } }] };
  expect(fromFile(asFile({ body: body as never }))).toEqual(body);
  expect(() => fromFile("%PDF-1.7")).toThrow(/no file of a template; allowed/);
});

const result = (is: Schema["Holds"], says: string[] = []) => ({ block: 1, title: "", holds: is, says, run: 1 });
const told = (results: Schema["VerifiedResult"][]): Schema["VerifiedReport"] => ({
  holds: false,
  seal: "whole",
  key: "ab",
  by: "",
  made_at: "",
  campaign: "",
  results,
});

test("what does not hold is counted, also where the number happens to be the same", () => {
  expect(summary(told([]))).toBe("The report shows no results.");
  expect(summary(told([result("same"), result("near")]))).toBe("All 2 results hold.");
  const some = [result("same"), result("same", ["the samples are others"]), result("differs"), result("not_made")];
  expect(summary(told(some))).toBe("3 of 4 results do not hold.");
  expect(holds.near).not.toBe(holds.same);
});
