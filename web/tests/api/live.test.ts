import { afterAll, beforeEach, expect, test, vi } from "vitest";

/** A connection whose other end is the test. */
class Line {
  static OPEN = 1;
  static all: Line[] = [];
  readyState = 0;
  binaryType = "";
  sent: string[] = [];
  onopen?: () => void;
  onmessage?: (e: { data: unknown }) => void;
  onclose?: () => void;
  constructor(readonly at: URL) {
    Line.all.push(this);
  }
  send(text: string) {
    this.sent.push(text);
  }
  close() {
    this.readyState = 3;
  }
  opens() {
    this.readyState = 1;
    this.onopen?.();
  }
  hears(data: unknown) {
    this.onmessage?.({
      data: typeof data === "object" && !(data instanceof ArrayBuffer) ? JSON.stringify(data) : data,
    });
  }
}

let frames: (() => void)[] = [];
vi.useFakeTimers();
vi.stubGlobal("WebSocket", Line);
vi.stubGlobal("requestAnimationFrame", (f: () => void) => frames.push(f));
vi.stubGlobal("window", {
  location: { href: "https://rig.local:7400/c/1/rig" },
  setInterval: (f: () => void, ms: number) => setInterval(f, ms),
  setTimeout: (f: () => void, ms: number) => setTimeout(f, ms),
  dispatchEvent: () => true,
});
const { levelsOf, live } = await import("../../src/api/live");
const { showing } = await import("../../src/api/client");
afterAll(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});
beforeEach(() => {
  frames = [];
});

const paint = () => {
  for (const f of frames.splice(0)) f();
};
const newest = () => Line.all.at(-1) as Line;

/** A picture as it travels: length of the head, the head, zeros up to a multiple of four, floats. */
function picture(head: object, values: number[]): ArrayBuffer {
  const text = new TextEncoder().encode(JSON.stringify(head));
  const from = Math.ceil((4 + text.length) / 4) * 4;
  const bytes = new ArrayBuffer(from + 4 * values.length);
  new DataView(bytes).setUint32(0, text.length, true);
  new Uint8Array(bytes).set(text, 4);
  new Float32Array(bytes, from).set(values);
  return bytes;
}

test("the page says what it shows when the line is there, and draws the newest picture of each pane alone", () => {
  const drawn: number[][] = [];
  const off = live.onPane({ show: "numbers", inputs: [3], seconds: 1 }, (p) => drawn.push([...p.values]));
  live.open();
  expect(newest().at.href).toBe("wss://rig.local:7400/api/live");
  expect(newest().sent).toEqual([]);
  newest().opens();
  const wish = JSON.parse(newest().sent.at(-1) ?? "");
  expect(wish.panes).toMatchObject([{ show: "numbers", inputs: [3], seconds: 1 }]);
  const pane = wish.panes[0].pane;
  newest().hears(picture({ kind: "numbers", pane, inputs: [3], units: ["m/s²"] }, [1, 2]));
  newest().hears(picture({ kind: "numbers", pane, inputs: [3], units: ["m/s²"] }, [5, 6]));
  newest().hears(picture({ kind: "numbers", pane: pane + 77, inputs: [9], units: [""] }, [9]));
  expect(drawn).toEqual([]);
  paint();
  expect(drawn).toEqual([[5, 6]]);
  off();
  expect(JSON.parse(newest().sent.at(-1) ?? "").panes).toEqual([]);
});

test("levels tell over range and what a sensor's supply finds", () => {
  const values = [0.5, 0.1, 0.01, 0.9, 1 + 2 + 4, 0.25, 0.1, 0, 0.25, 8, 0, 0, 0, 0, 0];
  const levels = levelsOf({ kind: "levels", inputs: [1, 2, 7], values: new Float32Array(values) });
  expect(levels.map((l) => l.circuit)).toEqual(["open", "shorted", "in order"]);
  expect(levels[0]).toMatchObject({ input: 1, peak: 0.5, over: true, overHeld: true });
  expect(levels[1]).toMatchObject({ input: 2, over: false, overHeld: false });
  expect(levels[2]?.held).toBe(0);
  expect(levelsOf({ kind: "orbit", pane: 1, points: 0, marks: [], unit: "", values: new Float32Array() })).toEqual([]);
});

test("pictures of another campaign's front ends are not drawn", () => {
  let seen = 0;
  const off = live.onLevels(() => {
    seen += 1;
  });
  const told = () => {
    newest().hears(picture({ kind: "levels", inputs: [1] }, [0, 0, 0, 0, 0]));
    paint();
    return seen;
  };
  newest().hears({ capture: { state: "idle" }, campaign: 4 });
  showing(4);
  expect(told()).toBe(1);
  showing(5);
  expect(told()).toBe(1);
  showing(undefined);
  expect(told()).toBe(2);
  off();
});

test("what has changed and what was refused reach those who asked", () => {
  const news: string[][] = [];
  const off = live.onNews((t) => news.push(t));
  newest().hears({ changed: ["run", "rig"] });
  newest().hears({ refused: "256 panes at most" });
  expect([news, live.refused]).toEqual([[["run", "rig"]], "256 panes at most"]);
  live.shows(4);
  expect([live.refused, JSON.parse(newest().sent.at(-1) ?? "").campaign]).toEqual(["", 4]);
  off();
});

test("a line that says nothing is doubted, given up, and made anew ever more slowly", () => {
  newest().hears({ capture: { state: "idle" }, campaign: 4 });
  expect(live.age).toBe(0);
  vi.advanceTimersByTime(4000);
  expect([live.age, live.connected]).toEqual([4, true]);
  newest().hears({ capture: { state: "idle" }, campaign: 4 });
  expect(live.age).toBe(0);
  const before = Line.all.length;
  const gone = newest();
  vi.advanceTimersByTime(9000);
  expect([gone.readyState, live.connected, Line.all.length]).toEqual([3, false, before + 1]);
  const news: string[][] = [];
  const off = live.onNews((t) => news.push(t));
  newest().opens();
  expect([live.connected, news]).toEqual([true, [["*"]]]);
  off();
  // Closed at once again and again: it waits twice as long each time, three seconds at most.
  const waits: number[] = [];
  for (let k = 0; k < 6; k++) {
    const count = Line.all.length;
    newest().onclose?.();
    let ms = 0;
    while (Line.all.length === count && ms < 5000) {
      vi.advanceTimersByTime(50);
      ms += 50;
    }
    waits.push(ms);
  }
  expect(waits).toEqual([250, 500, 1000, 2000, 3000, 3000]);
});
