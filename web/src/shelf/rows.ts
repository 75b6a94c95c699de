/** Rows of the shelf: found, ordered, and how far the five stations are. */
import { day, moment } from "../ui/format";
import type { Shelved } from "./useShelf";

export type Order = "worked" | "name" | "size" | "runs";

export const orders: { value: Order; says: string }[] = [
  { value: "worked", says: "newest first" },
  { value: "name", says: "by name" },
  { value: "size", says: "largest first" },
  { value: "runs", says: "most runs first" },
];

const by: Record<Order, (a: Shelved, b: Shelved) => number> = {
  worked: (a, b) => b.worked_at.localeCompare(a.worked_at),
  name: (a, b) => a.name.localeCompare(b.name, "en", { numeric: true }),
  size: (a, b) => b.bytes - a.bytes,
  runs: (a, b) => b.runs - a.runs,
};

/** Campaigns that hold all words typed in name, specimen, purpose or people, in an order. */
export function found(all: Shelved[], text: string, order: Order): Shelved[] {
  const words = text.toLowerCase().split(/\s+/);
  const about = (c: Shelved) => [c.name, c.specimen, c.purpose, ...c.people].join(" ").toLowerCase();
  return all.filter((c) => words.every((w) => about(c).includes(w))).sort(by[order]);
}

/** Whether something stands at each station: rig, plan, run, study, report. */
export const stationsOf = (c: Shelved): boolean[] => [
  c.channels > 0,
  c.channels > 0,
  c.runs > 0,
  c.results > 0,
  c.reported,
];

/** When it was worked on, in two lines: today, yesterday or the day, and the time. */
export function worked(at: string, now = Date.now()): [string, string] {
  const time = moment(at).slice(-5);
  if (day(at) === day(now)) return ["today", time];
  if (day(at) === day(now - 86_400_000)) return ["yesterday", time];
  return [day(at), time];
}
