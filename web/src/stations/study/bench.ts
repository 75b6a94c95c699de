/** Benches of lenses: which stand where, what a new one shows, what is kept between visits. */
import * as v from "valibot";
import type { RunDetail, Schema } from "../../api/client";
import { stored } from "../../ui/stored";
import { fitting } from "./lens/fields";
import { lenses, lensOf, type Recipe } from "./lens/lenses";

export type Scale = "linear" | "log" | "db";
export type MapColours = "tide" | "ember" | "grey";
/** How a lens is drawn. */
export type PanelLook = {
  scale?: Scale;
  /** What 0 dB stands for. */
  db_reference?: number;
  /** Complex curves: amplitude and phase, or one against the other; any curve as a table. */
  view?: "bode" | "parts" | "polar" | "curve" | "table";
  /** Several complex curves: over each other, or each by itself. */
  arrange?: "together" | "stacked" | "grid";
  /** Colours of a map. */
  map?: MapColours;
  /** The kept bracket it looks at; the moving one where none. */
  bracket?: string;
  /** Degrees every phase is turned by. */
  turn?: number;
  /** Phase between −180° and 180°, or running on. */
  unwrapped?: boolean;
  /** Phase is hidden where the amplitude is below this share of its largest, or the coherence below it. */
  phase_from?: number;
  /** Decades across; as the lens has it where left out. */
  log_x?: boolean;
  /** Limits upward; what is there where left out. */
  limits?: [number, number] | undefined;
  /** Rainflow: ranges, or ranges by mean. */
  by_mean?: boolean;
};
export type Panel = {
  x: number;
  y: number;
  w: number;
  h: number;
  recipe: Recipe;
  /** Channels of its own; those of the bench where empty. */
  channels: number[];
  look: PanelLook;
};

/** Parts of a panel, or how they follow from the panel as it is when they are set. */
export type Change = Partial<Panel> | ((now: Panel) => Partial<Panel>);

/** A change of how it is drawn. */
export const lookedAt =
  (part: Partial<PanelLook>): Change =>
  (now) => ({ look: { ...now.look, ...part } });

/** Rows that fill the screen. */
export const ROWS = 16;

/** Lenses of several pictures, one over the other. */
const TALL = ["response", "cross", "order_track"];

export function fresh(
  lens: string,
  run: RunDetail,
  markers: Schema["MarkersBody"] | undefined,
  place: Partial<Panel>,
): Panel {
  const h = TALL.includes(lens) ? 15 : 10;
  return { x: 0, y: 0, w: 6, h, recipe: lensOf(lens).fresh(run, markers), channels: [], look: {}, ...place };
}

/** The two probes that look at the shaft, where there are any. */
export const probes = (run: RunDetail) =>
  run.channels
    .filter((c) => c.recorded.quantity === "displacement")
    .slice(0, 2)
    .map((c) => c.channel);

const FIRST = "waveform and spectrum";

/** The bench of whoever has not made one. */
export const first = (run: RunDetail): Working => ({ name: FIRST, panels: usual(run) });

const usual = (run: RunDetail): Panel[] => [
  fresh("waveform", run, undefined, { w: 12, h: 6 }),
  fresh("spectrum", run, undefined, { w: 12, h: 10, y: 6 }),
];

/** Benches for what is done most often. */
export const ready: { name: string; panels: (run: RunDetail, m: Schema["MarkersBody"] | undefined) => Panel[] }[] = [
  { name: FIRST, panels: (run) => usual(run) },
  {
    name: "run-up or coast-down",
    panels: (run, m) => [
      fresh("order_map", run, m, { w: 6, h: 16 }),
      fresh("order_track", run, m, { x: 6, w: 6, h: 16 }),
      fresh("order_track", run, m, { y: 16, w: 6, h: 15, look: { view: "polar" } }),
      fresh("speed", run, m, { x: 6, y: 16, w: 6, h: 15 }),
    ],
  },
  {
    name: "bearing and gear",
    panels: (run) => [
      fresh("spectrum", run, undefined, { w: 12, h: 8 }),
      fresh("envelope", run, undefined, { w: 12, h: 8, y: 8 }),
    ],
  },
  {
    name: "shaft",
    panels: (run, m) => [
      fresh("orbit", run, m, { w: 5, h: 16, channels: probes(run) }),
      fresh("order_track", run, m, {
        x: 5,
        w: 7,
        h: 16,
        channels: probes(run),
        look: { arrange: "stacked" },
      }),
    ],
  },
  {
    name: "durability",
    panels: (run) => [
      fresh("distribution", run, undefined, {}),
      fresh("rainflow", run, undefined, { x: 6 }),
      fresh("statistics", run, undefined, { y: 10 }),
      fresh("shock", run, undefined, { x: 6, y: 10 }),
    ],
  },
];

export type Working = { name: string; panels: Panel[] };
const key = (campaign: number | undefined) => `study-bench-${campaign ?? 0}`;

const place = { x: v.number(), y: v.number(), w: v.number(), h: v.number() };
/** A panel as an address or this browser keeps it. */
export const panel = v.object({
  ...place,
  recipe: v.looseObject({ lens: v.picklist(lenses.map((l) => l.lens)) }),
  channels: v.array(v.number()),
  look: v.looseObject({}),
});
const working = v.object({ name: v.string(), panels: v.array(panel) });

/** A bench that another run was looked at with: blocks much longer than this run's are shortened. */
export function fitted(bench: Working, run: RunDetail): Working {
  const most = fitting(run.sample_rate_hz, Math.max(run.duration_s / 2, 0.05));
  const fit = (p: Panel): Panel => {
    const block = p.recipe.block as number | undefined;
    return block && block > most ? { ...p, recipe: { ...p.recipe, block: most } } : p;
  };
  return { ...bench, panels: bench.panels.map(fit) };
}

/** The bench as it was left in this browser. */
export function left(campaign: number | undefined): Working | undefined {
  const found = stored(key(campaign), working) as Working | undefined;
  return found && { ...found, name: found.name || FIRST };
}

export const leave = (campaign: number | undefined, bench: Working) =>
  localStorage.setItem(key(campaign), JSON.stringify(bench));
