/** What of the rig is shown: search, filters by column, order, columns. Kept in the browser. */
import { useMemo, useState } from "react";
import type { Caution, Channel } from "../../api/client";
import { type Column, type ColumnKey, columnOf, columns } from "./columns";

export type Order = { key: ColumnKey | "input"; down: boolean };

export type View = {
  search: string;
  filters: Partial<Record<ColumnKey, string>>;
  order: Order;
  onlyCautions: boolean;
  onlyOn: boolean;
  hidden: ColumnKey[];
};

const KEPT = "rig-columns";

const usualHidden = () => columns.filter((c) => !c.usual).map((c) => c.key);

function keptHidden(): ColumnKey[] {
  try {
    return JSON.parse(localStorage.getItem(KEPT) ?? "") as ColumnKey[];
  } catch {
    return usualHidden();
  }
}

export function useView() {
  const [view, set] = useState<View>(() => ({
    search: "",
    filters: {},
    order: { key: "input", down: false },
    onlyCautions: false,
    onlyOn: false,
    hidden: keptHidden(),
  }));
  const change = (part: Partial<View>) =>
    set((v) => {
      if (part.hidden) localStorage.setItem(KEPT, JSON.stringify(part.hidden));
      return { ...v, ...part };
    });
  const shown = useMemo(() => columns.filter((c) => !view.hidden.includes(c.key)), [view.hidden]);
  return { view, change, shown };
}

const compare = new Intl.Collator("en", { numeric: true }).compare;

/** The rows to show, in their order. */
export function rowsOf(channels: Channel[] | undefined, cautions: Caution[] | undefined, view: View): Channel[] {
  const wanted = view.search.trim().toLowerCase();
  const filters = Object.entries(view.filters).flatMap(([key, text]) => {
    const column = columnOf(key);
    return column && text ? [{ column, text: text.toLowerCase() }] : [];
  });
  const told = new Set((cautions ?? []).filter((c) => !c.waived).map((c) => c.input));
  const rows = (channels ?? []).filter(
    (c) =>
      (!view.onlyOn || c.on) &&
      (!view.onlyCautions || told.has(c.input)) &&
      (wanted === "" || `${c.label} ${columns.map((k) => k.text(c)).join(" ")}`.toLowerCase().includes(wanted)) &&
      filters.every((f) => f.column.text(c).toLowerCase().includes(f.text)),
  );
  const { key, down } = view.order;
  if (key !== "input") {
    const column = columnOf(key) as Column;
    rows.sort((a, b) => compare(column.text(a), column.text(b)) || a.input - b.input);
  }
  return down ? rows.reverse() : rows;
}

export const useRows = (channels: Channel[] | undefined, cautions: Caution[] | undefined, view: View) =>
  useMemo(() => rowsOf(channels, cautions, view), [channels, cautions, view]);
