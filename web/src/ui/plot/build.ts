/** A plot as the drawing library takes it: its data, scales, axes and series. */
import uPlot from "uplot";
import { short } from "../format";
import { colour, traceColour, traceDash } from "../traces";
import type { Curve, Level, Range } from "./types";

const clean = (a: ArrayLike<number>, logY: boolean) =>
  Array.from(a, (v) => (Number.isFinite(v) && (!logY || v > 0) ? v : null));

export function aligned(x: ArrayLike<number>, curves: Curve[], logY: boolean): uPlot.AlignedData {
  const rows: (number | null)[][] = [];
  for (const c of curves) {
    rows.push(clean(c.high, logY));
    if (c.low) rows.push(clean(c.low, logY));
  }
  return [Array.from(x), ...rows] as uPlot.AlignedData;
}

/** Even steps with room, or whole decades, at most six. */
function around(logY: boolean, lo: number, hi: number, min: number | undefined): Range {
  if (logY) {
    const top = 10 ** Math.ceil(Math.log10(hi));
    return [Math.max(10 ** Math.floor(Math.log10(lo)), top / 1e6), top];
  }
  const pad = (hi - (min ?? lo) || Math.abs(hi) || 1) * 0.06;
  return [min ?? lo - pad, hi + pad];
}

/** Whole decades inside a range, with their halves where there are few. */
function decades(_: uPlot, __: number, lo: number, hi: number): number[] {
  const [a, b] = [Math.floor(Math.log10(lo) + 1e-9), Math.ceil(Math.log10(hi) - 1e-9)];
  const steps = b - a <= 2 ? [1, 2, 5] : [1];
  return Array.from({ length: Math.max(b - a + 1, 0) }, (_, k) => steps.map((m) => m * 10 ** (a + k)))
    .flat()
    .filter((t) => t >= lo * 0.999999 && t <= hi * 1.000001);
}

/** Quarters of a turn, as many as there is room for. */
function quarters(u: uPlot, _: number, lo: number, hi: number): number[] {
  const most = Math.max(2, Math.floor(u.over.clientHeight / 16));
  const step = [15, 30, 45, 90, 180, 360, 720].find((s) => (hi - lo) / s < most) ?? 1440;
  const first = Math.ceil(lo / step);
  return Array.from({ length: Math.max(Math.floor(hi / step) - first + 1, 0) }, (_, k) => (first + k) * step);
}

/** Width of the strip beside the plot and height of the one below, px. */
export const STRIP = { left: 66, foot: 26 };
/** Width of a letter below the plot, px. */
const LETTER = 6.7;

export type Built = {
  curves: Curve[];
  logX: boolean;
  logY: boolean;
  /** Whether the curves are angles. */
  degrees: boolean;
  /** What is asked again with every drawing. */
  now: () => {
    x: ArrayLike<number>;
    range: Range | undefined;
    y: Range | undefined;
    yMin: number | undefined;
    levels: Level[];
    xLabel: string;
  };
  hooks: uPlot.Hooks.Arrays;
};

export function options(el: HTMLElement, { curves, logX, logY, degrees, now, hooks }: Built): uPlot.Options {
  const ink = colour("ink-soft");
  const grid = { stroke: colour("graticule"), width: 1 };
  const font = '11px "JetBrains Mono Variable"';
  const series: uPlot.Series[] = [{}];
  curves.forEach((c, i) => {
    const line: uPlot.Series = {
      stroke: c.pale ? `color-mix(in srgb, ${traceColour(0)} 32%, transparent)` : traceColour(i),
      width: 1.25,
      points: { show: false },
      dash: c.pale ? [] : traceDash(i),
      spanGaps: c.spans ?? false,
    };
    const stepped = uPlot.paths.stepped?.({ align: 1 });
    // Envelopes are drawn by themselves, the widest first.
    if (c.low) series.push({ ...line, paths: () => null }, { ...line, paths: () => null });
    else series.push(c.steps && stepped ? { ...line, paths: stepped } : line);
  });
  const none = () => null;
  return {
    width: el.clientWidth,
    height: el.clientHeight,
    padding: [8, 20, 0, 0],
    legend: { show: false },
    cursor: {
      drag: { x: false, y: false, setScale: false },
      points: { show: false },
      y: false,
      // Pointers of all kinds are followed by the plot itself.
      bind: {
        mousedown: none,
        mousemove: none,
        mouseup: none,
        mouseenter: none,
        mouseleave: none,
        dblclick: none,
        click: none,
      },
    },
    scales: {
      x: {
        time: false,
        distr: logX ? 3 : 1,
        range: (_, lo, hi) => {
          const { range, x } = now();
          const [a, b] = range ?? [lo, hi];
          if (!logX) return [a, b];
          // A logarithmic axis has no zero.
          let first = 0;
          while (first < x.length && !((x[first] ?? 0) > 0)) first += 1;
          return [Math.max(a, x[first] ?? 1e-3, 1e-9), b];
        },
      },
      y: {
        distr: logY ? 3 : 1,
        range: (_, lo, hi) => {
          const { y, yMin, levels } = now();
          if (y && (!logY || y[0] > 0)) return y;
          if (lo === null || hi === null) return logY ? [0.1, 1] : [-1, 1];
          const at = levels.map((l) => l.at).filter((v) => !logY || v > 0);
          return around(logY, Math.min(lo, ...at), Math.max(hi, ...at), yMin);
        },
      },
    },
    axes: [
      {
        stroke: ink,
        grid,
        ticks: { show: false },
        font,
        ...(logX ? { splits: decades } : {}),
        values: (u, v) => {
          // The name of the axis stands at its end, where no number is written then.
          const room = u.over.clientWidth + 12 - LETTER * now().xLabel.length;
          return v.map((t) => {
            if (t == null) return "";
            const says = short(t, 6);
            return now().xLabel && u.valToPos(t, "x") + 0.5 * LETTER * says.length > room ? "" : says;
          });
        },
        size: STRIP.foot,
      },
      {
        stroke: ink,
        grid,
        ticks: { show: false },
        font,
        size: STRIP.left,
        ...(logY ? { splits: decades } : degrees ? { splits: quarters } : {}),
        values: (_, v) => v.map((t) => (t == null ? "" : short(t))),
      },
    ],
    series,
    hooks,
  };
}
