/** Curves of several runs on one axis. */
import type { Analysis } from "../../../api/client";

/** A result whose axis joins several: its curves have values only at their own places, and run on between them. */
export type Overlaid = Analysis & { joined?: boolean };

export type Other = { says: string; result: Analysis; shift_s: number };

/** Whether two axes stand at the same places, but for rounding. */
function same(a: number[], b: number[]): boolean {
  const step = Math.abs((a[1] ?? 1) - (a[0] ?? 0)) || 1;
  return a.length === b.length && a.every((x, i) => Math.abs(x - (b[i] ?? Number.NaN)) < 1e-3 * step);
}

/**
 * A result with the curves of others behind its own. Times of others are moved back by their shift; axes that
 * do not agree are brought together, and a curve has values only at its own places.
 */
export function overlaid(result: Analysis, says: string, others: Other[]): Overlaid {
  const axis = result.axes[0];
  if (result.axes.length !== 1 || !axis || others.length === 0) return result;
  const all = [{ says, result, shift_s: 0 }, ...others.filter((o) => o.result.axes.length === 1)];
  const places = all.map(({ result: r, shift_s }) =>
    (r.axes[0]?.values ?? []).map((x) => (axis.name === "time" ? x - shift_s : x)),
  );
  const agree = places.every((p) => same(axis.values, p));
  const x = agree ? axis.values : [...new Set(places.flat())].sort((a, b) => a - b);
  const at = new Map(x.map((v, i) => [v, i]));
  const spread = (values: number[] | undefined, from: number[]) => {
    if (agree || values === undefined) return values;
    const out = new Array<number>(x.length).fill(Number.NaN);
    from.forEach((p, i) => {
      const k = at.get(p);
      if (k !== undefined) out[k] = values[i] ?? Number.NaN;
    });
    return out;
  };
  const traces = all.flatMap(({ says: run, result: r }, k) =>
    r.traces.map((t) => ({
      ...t,
      name: `${t.name}, ${run}`,
      values: spread(t.values?.length ? t.values : undefined, places[k] ?? []) ?? [],
      ...(t.re ? { re: spread(t.re, places[k] ?? []) ?? [], im: spread(t.im ?? [], places[k] ?? []) ?? [] } : {}),
    })),
  );
  return { ...result, axes: [{ ...axis, values: x }], traces, joined: !agree };
}
