import { expect, test } from "vitest";
import { found, stationsOf, worked } from "../../src/shelf/rows";
import type { Shelved } from "../../src/shelf/useShelf";

const one = (id: number, name: string, more: Partial<Shelved> = {}): Shelved =>
  ({
    id,
    name,
    specimen: "",
    purpose: "",
    worked_at: `2026-11-0${id}T10:00:00Z`,
    channels: 0,
    runs: 0,
    bytes: 0,
    results: 0,
    reported: false,
    people: [],
    measured: false,
    ...more,
  }) as Shelved;

const all = [
  one(1, "Merrow: mast", { bytes: 5, people: ["Ines"] }),
  one(2, "Skerry Lass: deck", { runs: 9, channels: 256 }),
  one(3, "Merrow: gearbox", { specimen: "azimuth thruster", bytes: 7, reported: true }),
];
const names = (text: string, order: Parameters<typeof found>[2]) => found(all, text, order).map((c) => c.id);

test("campaigns are found by all words, and ordered", () => {
  expect(names("", "worked")).toEqual([3, 2, 1]);
  expect(names("", "size")).toEqual([3, 1, 2]);
  expect(names("", "name")).toEqual([3, 1, 2]);
  expect(names("", "runs")[0]).toBe(2);
  expect(names("merrow ines", "worked")).toEqual([1]);
  expect(names("thruster", "worked")).toEqual([3]);
  expect(names("nothing like it", "worked")).toEqual([]);
});

test("stations and days are told", () => {
  expect(stationsOf(all[1] as Shelved)).toEqual([true, true, true, false, false]);
  const now = new Date(2026, 10, 9, 12, 0).getTime();
  const at = (days: number) => new Date(now - days * 86_400_000).toISOString();
  expect(worked(at(0), now)).toEqual(["today", "12:00"]);
  expect(worked(at(1), now)[0]).toBe("yesterday");
  expect(worked(at(20), now)[0]).toBe("2026-10-20");
});
