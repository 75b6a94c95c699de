/** The columns of the channel table: what a cell shows, what it may be, how wide it is. */
import type { Channel, RigBody, Schema } from "../../api/client";
import { plain } from "../../ui/format";

export type ColumnKey = Schema["Column"];

/** Points and directions of the specimen, where it has a geometry. */
export type Places = { points: string[]; directions: string[] };

/** Most options that are offered at once. */
const MOST_OPTIONS = 40;

/** Those with what is typed in them; all where that is what stood there already. */
export function offered(all: string[], typed: string, was: string): string[] {
  const part = typed.trim().toLowerCase();
  const like = typed === was ? all : all.filter((o) => o.toLowerCase().includes(part));
  return like.slice(0, MOST_OPTIONS);
}

export type Column = {
  key: ColumnKey;
  head: string;
  /** Narrowest width, px, and its share of what is left over. */
  width: number;
  grow?: number;
  right?: boolean;
  mono?: boolean;
  /** Shown unless chosen otherwise. */
  usual: boolean;
  text: (c: Channel) => string;
  /** Values that are allowed, where there are few. */
  options?: (c: Channel, rig: RigBody, places: Places | undefined, typed: string) => string[];
};

/** Every coupling there is; an input offers some of them. */
export const couplings: Channel["coupling"][] = [
  "IEPE",
  "DC",
  "AC",
  "Charge",
  "Bridge full",
  "Bridge half",
  "Bridge quarter",
];

const offer = (c: Channel, rig: RigBody) => rig.front_end?.inputs[c.input - 1];
const unitsOf = (c: Channel, rig: RigBody) => rig.units.find((u) => u.quantity === c.quantity);
const filter = (hz: number) => (hz > 0 ? `${plain(hz)} Hz` : "off");

export const columns: Column[] = [
  {
    key: "on",
    head: "On",
    width: 30,
    usual: true,
    text: (c) => (c.on ? "on" : "off"),
    options: () => ["on", "off"],
  },
  { key: "name", head: "Channel", width: 112, grow: 1.5, usual: true, text: (c) => c.name },
  { key: "sensor", head: "Sensor", width: 88, grow: 1, usual: true, text: (c) => c.sensor },
  {
    key: "quantity",
    head: "Quantity",
    width: 82,
    usual: false,
    text: (c) => c.quantity,
    options: (_, rig) => rig.units.map((u) => u.quantity),
  },
  {
    key: "sensitivity",
    head: "Sensitivity",
    width: 70,
    right: true,
    mono: true,
    usual: true,
    text: (c) => plain(c.sensitivity.value),
  },
  {
    key: "sensitivity_unit",
    head: "per",
    width: 64,
    usual: true,
    text: (c) => c.sensitivity.unit,
    options: (c, rig) => unitsOf(c, rig)?.sensitivity_units ?? [],
  },
  {
    key: "coupling",
    head: "Coupling",
    width: 57,
    usual: true,
    text: (c) => c.coupling,
    options: (c, rig) => offer(c, rig)?.couplings ?? couplings,
  },
  {
    key: "range_v",
    head: "Range",
    width: 52,
    right: true,
    mono: true,
    usual: true,
    text: (c) => `${plain(c.range_v)} V`,
    options: (c, rig) => offer(c, rig)?.ranges_v.map((v) => `${plain(v)} V`) ?? [],
  },
  {
    key: "high_pass_hz",
    head: "High-pass",
    width: 62,
    right: true,
    usual: false,
    text: (c) => filter(c.high_pass_hz ?? 0),
    options: (c, rig) => offer(c, rig)?.high_pass_hz?.map(filter) ?? [],
  },
  {
    key: "point",
    head: "Point",
    width: 78,
    grow: 1,
    usual: true,
    text: (c) => c.point,
    options: (c, _, places, typed) => offered(places?.points ?? [], typed, c.point),
  },
  {
    key: "direction",
    head: "Direction",
    width: 62,
    grow: 0.3,
    usual: true,
    text: (c) => c.direction,
    options: (c, _, places, typed) => offered(places?.directions ?? [], typed, c.direction),
  },
  {
    key: "unit",
    head: "Unit",
    width: 40,
    usual: true,
    text: (c) => c.unit,
    options: (c, rig) => unitsOf(c, rig)?.units ?? [],
  },
];

export const columnOf = (key: string) => columns.find((c) => c.key === key);

/** The grid's template for these columns: state, input, columns, level, rms. */
export const template = (shown: Column[]) =>
  `18px 42px ${shown.map((c) => `minmax(${c.width}px,${c.grow ? `${c.grow}fr` : `${c.width}px`})`).join(" ")} 74px 56px`;
