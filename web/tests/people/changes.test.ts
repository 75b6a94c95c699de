import { expect, test } from "vitest";
import { changeSays } from "../../src/people/Changes";

test("what changed is told in a line", () => {
  expect(changeSays({ run: 3, from: "a", to: "b", gone: null })).toBe("run 3; from a; to b");
  expect(changeSays({ what: "range of 7", version: 12 })).toBe("what range of 7; version 12");
  expect(changeSays({ tags: ["loud", "pump"] })).toBe("tags [loud, pump]");
  expect(changeSays({ plan: { much: "x".repeat(200) } })).toBe("plan …");
  expect(changeSays({ sample_rate_hz: 51200 })).toBe("sample rate hz 51200");
  expect(changeSays(null)).toBe("");
});
