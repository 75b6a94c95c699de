/** The list of runs: found, ordered, summed. */
import type { Schema } from "../api/client";
import { day } from "../ui/format";

export type ListedRun = Schema["ListedRun"];

export type Column =
  | "number"
  | "kind"
  | "started_at"
  | "duration_s"
  | "sample_rate_hz"
  | "channels"
  | "who"
  | "takes"
  | "marks"
  | "bytes"
  | "tags"
  | "remark";

export type Sort = { by: Column; down: boolean };

const keyOf = (r: ListedRun, by: Column): string | number => (by === "tags" ? r.tags.join(", ") : r[by]);

/** Words a run is found by. */
const about = (r: ListedRun) =>
  [`run ${r.number}`, r.kind, r.remark, ...r.tags, r.who, r.front_end, r.brought?.file ?? "", day(r.started_at)]
    .join(" ")
    .toLowerCase();

/** Runs that hold all words typed, in an order; what is equal there stays by its number. */
export function listed(all: ListedRun[], text: string, { by, down }: Sort): ListedRun[] {
  const words = text.toLowerCase().split(/\s+/);
  const compare = (a: ListedRun, b: ListedRun) => {
    const [x, y] = [keyOf(a, by), keyOf(b, by)];
    const d =
      typeof x === "number" && typeof y === "number"
        ? x - y
        : String(x).localeCompare(String(y), "en", { numeric: true });
    return (down ? -d : d) || a.number - b.number;
  };
  return all.filter((r) => words.every((w) => about(r).includes(w))).sort(compare);
}

/** Tags as they are typed: words between commas. */
export const tagsOf = (text: string) => [
  ...new Set(
    text
      .split(",")
      .map((t) => t.trim())
      .filter(Boolean),
  ),
];

export const sizeOf = (runs: { bytes: number }[]) => runs.reduce((sum, r) => sum + r.bytes, 0);
