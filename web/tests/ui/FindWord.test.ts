import { expect, test } from "vitest";
import { found } from "../../src/ui/FindWord";

test("entries are found by all words typed, as they stand first", () => {
  const options = ["12 frame 02, line 4", "89 frame 12, line 1", "112 frame 14, line 8"].map((says) => ({
    value: says,
    says,
  }));
  const says = (text: string) => found(options, text).map((o) => o.says);
  expect(says("frame 12")).toEqual(["89 frame 12, line 1", "12 frame 02, line 4", "112 frame 14, line 8"]);
  expect(says("LINE 8")).toEqual(["112 frame 14, line 8", "89 frame 12, line 1"]);
  expect(says("  ")).toHaveLength(3);
  expect(says("hull")).toEqual([]);
});
