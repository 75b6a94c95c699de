import { afterAll, beforeEach, expect, test, vi } from "vitest";
import { memory } from "../../../memory";

const kept = new Map<string, string>();
let asked: { hz: number; from: number; to: number }[] = [];
let broken = false;
vi.stubGlobal("localStorage", memory(kept));
class Sound {
  currentTime = 3;
  destination = {};
  constructor() {
    if (broken) throw new Error("no sound here");
  }
  resume = async () => undefined;
  createOscillator() {
    const note = { hz: 0, from: 0, to: 0 };
    asked.push(note);
    return {
      frequency: { setValueAtTime: (hz: number) => Object.assign(note, { hz }) },
      connect: (x: unknown) => x,
      start: (from: number) => Object.assign(note, { from }),
      stop: (to: number) => Object.assign(note, { to }),
    };
  }
  createGain = () => ({
    gain: { setValueAtTime: () => undefined, exponentialRampToValueAtTime: () => undefined },
    connect: (x: unknown) => x,
  });
}
vi.stubGlobal("AudioContext", Sound);
vi.mock("react", async (real) => ({
  ...(await real<typeof import("react")>()),
  useSyncExternalStore: (_: unknown, get: () => unknown) => get(),
}));
afterAll(() => vi.unstubAllGlobals());
const { notes, play, useSounds } = await import("../../../../src/stations/run/taps/sounds");
beforeEach(() => {
  asked = [];
});

test("a browser without sound shows everything all the same", () => {
  broken = true;
  expect(() => play("good")).not.toThrow();
  broken = false;
  expect(asked).toEqual([]);
});

test("each thing that happens sounds otherwise: by how many notes, how high, and whether they rise", () => {
  const told = new Set<string>();
  for (const [, all] of Object.entries(notes)) {
    const hz = all.map((n) => n[0]);
    const way = Math.sign((hz.at(-1) ?? 0) - (hz[0] ?? 0));
    told.add(`${hz.length} ${way} ${(hz[0] ?? 0) > 300}`);
    for (const [k, [, from, lasts]] of all.entries()) {
      const next = all[k + 1]?.[1] ?? Number.POSITIVE_INFINITY;
      expect(from + lasts, "a note ends before the next begins, or as it does").toBeLessThanOrEqual(next + 1e-9);
    }
  }
  expect(told.size).toBe(Object.keys(notes).length);
});

test("what is played are the notes, from now on", () => {
  play("look");
  expect(asked.map((n) => n.hz)).toEqual(notes.look.map((n) => n[0]));
  expect(asked[0]?.from).toBe(3);
  expect((asked[1]?.from ?? 0) > (asked[0]?.from ?? 0)).toBe(true);
  expect(asked.every((n) => n.to > n.from)).toBe(true);
});

test("sounds are switched off for good until they are switched on", () => {
  const [on, set] = useSounds();
  expect(on).toBe(true);
  set(false);
  play("bad");
  expect([asked, useSounds()[0], kept.get("tap sounds")]).toEqual([[], false, "off"]);
  set(true);
  play("bad");
  expect(asked.length).toBe(2);
});
