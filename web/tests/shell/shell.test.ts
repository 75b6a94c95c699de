import { expect, test } from "vitest";
import type { Status } from "../../src/api/client";
import { stationOf, within } from "../../src/shell/address";
import { captureName, progressOf, sessionOf, stateLook } from "../../src/shell/capture";

test("addresses name the campaign and the station", () => {
  expect(within(3, "/plan/limits")).toBe("/c/3/plan/limits");
  expect(within(undefined, "/rig")).toBe("/rig");
  expect(stationOf("/c/3/plan/limits")).toBe("plan");
  expect(stationOf("/c/3/runs")).toBe("runs");
  expect(stationOf("/campaigns")).toBeUndefined();
});

const status = (state: string) => ({ capture: { state, run_id: 7 } }) as unknown as Status;

test("a session is there while something is armed, progress while something is recorded or written", () => {
  expect(captureName(undefined)).toBe("idle");
  expect([sessionOf(status("idle")), progressOf(status("idle"))]).toEqual([undefined, undefined]);
  expect(sessionOf(status("armed"))).toMatchObject({ run_id: 7 });
  expect(progressOf(status("armed"))).toBeUndefined();
  expect(progressOf(status("recording"))).toMatchObject({ run_id: 7 });
  expect(progressOf(status("writing"))).toMatchObject({ run_id: 7 });
});

test("no two states look alike without their colour", () => {
  const shapes = Object.values(stateLook).map((l) => l.shape);
  expect(new Set(shapes).size).toBe(shapes.length);
  const words = Object.values(stateLook).map((l) => l.word);
  expect(new Set(words).size).toBe(words.length);
});
