import { expect, test } from "vitest";
import { type ListedRun, listed, sizeOf, tagsOf } from "../../src/runs/list";

const run = (number: number, more: Partial<ListedRun>): ListedRun =>
  ({
    id: number,
    number,
    kind: "",
    remark: "",
    tags: [],
    who: "Ines",
    front_end: "Lantern 24",
    started_at: "2026-11-26T10:00:00Z",
    duration_s: 10,
    sample_rate_hz: 51200,
    channels: 23,
    takes: 0,
    marks: 0,
    bytes: 1000,
    ...more,
  }) as ListedRun;

const all = [
  run(2, { kind: "steady", bytes: 50 }),
  run(10, { kind: "coast-down", tags: ["loud", "bearing 2"], who: "Tam" }),
  run(3, { kind: "steady, at sea", remark: "cable moved", started_at: "2026-11-25T10:00:00Z" }),
];
const numbers = (text: string, by: Parameters<typeof listed>[2]["by"], down = false) =>
  listed(all, text, { by, down }).map((r) => r.number);

test("runs are ordered by every column, numbers as numbers", () => {
  expect(numbers("", "number")).toEqual([2, 3, 10]);
  expect(numbers("", "number", true)).toEqual([10, 3, 2]);
  expect(numbers("", "bytes")).toEqual([2, 3, 10]);
  expect(numbers("", "kind")).toEqual([10, 2, 3]);
  expect(numbers("", "started_at")).toEqual([3, 2, 10]);
  expect(numbers("", "tags", true)).toEqual([10, 2, 3]);
});

test("runs are found by all words, wherever they stand", () => {
  expect(numbers("steady sea", "number")).toEqual([3]);
  expect(numbers("LOUD tam", "number")).toEqual([10]);
  expect(numbers("2026-11-25", "number")).toEqual([3]);
  expect(numbers("moved", "number")).toEqual([3]);
  expect(numbers("nothing", "number")).toEqual([]);
});

test("tags are words between commas, sizes are summed", () => {
  expect(tagsOf(" loud, bearing 2,,loud ")).toEqual(["loud", "bearing 2"]);
  expect(sizeOf(all)).toBe(2050);
});
