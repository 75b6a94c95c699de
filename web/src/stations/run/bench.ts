/** Benches: which displays stand where, what a new one shows, what is kept between visits. */
import * as v from "valibot";
import type { Channel, Schema } from "../../api/client";
import { stored } from "../../ui/stored";

export type Pane = Schema["Pane"];
export type Display = Pane["display"];

/** Rows that fill the screen; a bench may be longer. */
export const ROWS = 20;
/** The bench of whoever has not made one. */
export const STANDARD = "Standard";

export const displays: { display: Display; says: string }[] = [
  { display: "waveform", says: "Waveform" },
  { display: "strip", says: "Strip" },
  { display: "spectrum", says: "Spectrum" },
  { display: "bars", says: "Level bars" },
  { display: "numbers", says: "Numbers" },
  { display: "table", says: "Table" },
  { display: "speed", says: "Speed" },
  { display: "orbit", says: "Orbit" },
  { display: "waterfall", says: "Waterfall" },
  { display: "limits", says: "Limits" },
  { display: "now", says: "Now" },
];

export const nameOf = (display: Display) => displays.find((d) => d.display === display)?.says ?? display;

/** What a new display shows until it is told otherwise. */
export function fresh(display: Display, inputs: number[], at: { x: number; y: number }): Pane {
  const one = inputs.slice(0, 1);
  const two = inputs.slice(0, 2);
  const size: Partial<Record<Display, [number, number]>> = {
    bars: [12, 4],
    numbers: [4, 4],
    now: [4, 8],
    speed: [4, 8],
    orbit: [4, 8],
    limits: [4, 8],
  };
  const [w, h] = size[display] ?? [6, 8];
  const pane: Pane = { display, ...at, w, h, inputs: two, hold: false };
  switch (display) {
    case "waveform":
      return { ...pane, seconds: 0.2 };
    case "spectrum":
      return { ...pane, block: 8192 };
    case "waterfall":
      return { ...pane, inputs: one, block: 4096 };
    case "numbers":
      return { ...pane, seconds: 1 };
    case "table":
      return { ...pane, inputs, seconds: 1 };
    case "orbit":
      return { ...pane, seconds: 0.1 };
    default:
      return pane;
  }
}

/** The bench of whoever has not made one: levels, waveform, spectrum, what goes on. */
export function usual(channels: Channel[]): Pane[] {
  const on = channels.filter((c) => c.on).map((c) => c.input);
  // A pair near the middle of the rig; which, anybody can change.
  const pair = on.length > 8 ? on.slice(6, 8) : on.slice(0, 2);
  return [
    { ...fresh("bars", on, { x: 0, y: 0 }), h: 4 },
    { ...fresh("waveform", pair, { x: 0, y: 4 }), w: 9, h: 8 },
    { ...fresh("now", [], { x: 9, y: 4 }), w: 3, h: 16 },
    { ...fresh("spectrum", pair, { x: 0, y: 12 }), w: 9, h: 8 },
  ];
}

const key = (campaign: number | undefined) => `bench-${campaign ?? 0}`;
export type Working = { name: string; panes: Pane[] };

const place = { x: v.number(), y: v.number(), w: v.number(), h: v.number() };
const working = v.object({
  name: v.string(),
  panes: v.array(
    v.looseObject({
      ...place,
      display: v.picklist(displays.map((d) => d.display)),
      inputs: v.optional(v.array(v.number())),
    }),
  ),
});

/** The bench as it was left in this browser. */
export function left(campaign: number | undefined): Working | undefined {
  const found = stored(key(campaign), working) as Working | undefined;
  return found && { ...found, name: found.name || STANDARD };
}

export const leave = (campaign: number | undefined, bench: Working) =>
  localStorage.setItem(key(campaign), JSON.stringify(bench));

/** Blocks a spectrum may have. */
export const blocks = [256, 512, 1024, 2048, 4096, 8192, 16384, 32768, 65536];
export const lengths = [0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10];
export const windows = [10, 30, 60, 120, 300, 600];
