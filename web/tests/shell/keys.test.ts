import { afterAll, beforeEach, expect, test, vi } from "vitest";
import { memory } from "../memory";

let hears: (e: unknown) => void = () => undefined;
let dialog = false;
const kept = new Map<string, string>();
vi.stubGlobal("window", {
  addEventListener: (what: string, f: (e: unknown) => void) => {
    if (what === "keydown") hears = f;
  },
});
vi.stubGlobal("document", { querySelector: () => (dialog ? {} : null) });
vi.stubGlobal("navigator", { platform: "Linux" });
vi.stubGlobal("localStorage", memory(kept));
// Keys are bound by what is mounted; here they are bound at once.
const effects: (() => void)[] = [];
vi.mock("react", async (real) => ({
  ...(await real<typeof import("react")>()),
  useRef: (current: unknown) => ({ current }),
  useEffect: (f: () => (() => void) | undefined) => void effects.push(f() ?? (() => undefined)),
  useSyncExternalStore: (_: unknown, get: () => unknown) => get(),
}));
afterAll(() => vi.unstubAllGlobals());
const { useKeys, useLetters } = await import("../../src/shell/keys");

beforeEach(() => {
  for (const off of effects.splice(0)) off();
  dialog = false;
});

const press = (key: string, part: object = {}) => {
  const e = {
    key,
    code: "",
    target: { closest: () => null },
    getModifierState: (m: string) => ((part as { held?: string[] }).held ?? []).includes(m),
    prevented: false,
    preventDefault() {
      this.prevented = true;
    },
    ...part,
  };
  hears(e);
  return e.prevented;
};
const counted = (name: string, key: string, anywhere = false) => {
  const run = vi.fn();
  useKeys(name, [{ key, says: name, run, anywhere }]);
  return run;
};

test("a key acts once, and what came last comes first", () => {
  const bench = counted("bench", "g");
  const series = counted("series", "g");
  expect(press("g")).toBe(true);
  expect([bench.mock.calls.length, series.mock.calls.length]).toEqual([0, 1]);
  expect(press("h")).toBe(false);
});

test("single keys start nothing while somebody types or answers a question", () => {
  const record = counted("record", "r");
  const find = counted("find", "Control+k", true);
  const typing = { target: { closest: () => ({}) } };
  expect(press("r", typing)).toBe(false);
  expect(press("k", { ...typing, held: ["Control"] })).toBe(true);
  dialog = true;
  expect(press("r")).toBe(false);
  dialog = false;
  expect(press("r")).toBe(true);
  expect([record.mock.calls.length, find.mock.calls.length]).toEqual([1, 1]);
});

test("a key that is held down, composed or used by somebody else is left alone", () => {
  const record = counted("record", "r");
  expect(press("r", { repeat: true })).toBe(false);
  expect(press("r", { isComposing: true })).toBe(false);
  expect(press("r", { defaultPrevented: true })).toBe(false);
  expect(record).not.toHaveBeenCalled();
});

test("single keys can be switched off; those with Ctrl stay", () => {
  const record = counted("record", "r");
  const stop = counted("stop", "Shift+S");
  const find = counted("find", "Control+k");
  useLetters()[1](false);
  expect(kept.get("single keys")).toBe("off");
  press("r");
  press("S", { held: ["Shift"] });
  press("k", { held: ["Control"] });
  expect([record, stop, find].map((f) => f.mock.calls.length)).toEqual([0, 0, 1]);
  useLetters()[1](true);
  press("r");
  expect(record).toHaveBeenCalledTimes(1);
});

test("keys go with what bound them", () => {
  const record = counted("record", "r");
  for (const off of effects.splice(0)) off();
  expect(press("r")).toBe(false);
  expect(record).not.toHaveBeenCalled();
});
