/** A plot in time or frequency: drag to zoom, double-click back, wheel at the pointer, Shift-drag to bracket;
 * the crosshair follows the pointer or the arrow keys, on every picture of the axis. */
import { type Ref, useEffect, useImperativeHandle, useRef } from "react";
import uPlot from "uplot";
import { crosshair, whereabouts } from "./crosshair";
import { short } from "./format";
import { drawMarks, drawPin, readValues } from "./plotDrawing";
import type { Curve, Mark, PlotHandle, Range } from "./plotTypes";
import { useTheme } from "./theme";
import { colour, traceColour, traceDash } from "./traces";

export type { Curve, Mark, PlotHandle, Range } from "./plotTypes";

type Props = {
  label: string;
  x: ArrayLike<number>;
  curves: Curve[];
  /** Shown range; all when left out. */
  range?: Range | undefined;
  /** Name and unit of the axis, as “time, s”; pictures whose axis has the same name share their crosshair. */
  xLabel: string;
  /** The same where nothing is written below the picture. */
  axis?: string;
  logY?: boolean;
  logX?: boolean;
  /** A stretch of the axis that is marked. */
  band?: Range | undefined;
  marks?: Mark[];
  yMin?: number | undefined;
  onZoom?: (to: Range) => void;
  onBack?: () => void;
  onBracket?: (to: Range) => void;
  /** A click at a place, with how much one pixel is. */
  onPoint?: (x: number, perPixel: number) => void;
  handle?: Ref<PlotHandle>;
};

const clean = (a: ArrayLike<number>, logY: boolean) =>
  Array.from(a, (v) => (Number.isFinite(v) && (!logY || v > 0) ? v : null));

function aligned(x: ArrayLike<number>, curves: Curve[], logY: boolean): uPlot.AlignedData {
  const rows: (number | null)[][] = [];
  for (const c of curves) {
    rows.push(clean(c.high, logY));
    if (c.low) rows.push(clean(c.low, logY));
  }
  return [Array.from(x), ...rows] as uPlot.AlignedData;
}

/** Even steps with room, or whole decades, at most six. */
function yRange(logY: boolean, min: number | undefined) {
  return (_: uPlot, lo: number | null, hi: number | null): Range => {
    if (lo === null || hi === null) return logY ? [0.1, 1] : [-1, 1];
    if (logY) {
      const top = 10 ** Math.ceil(Math.log10(hi));
      return [Math.max(10 ** Math.floor(Math.log10(lo)), top / 1e6), top];
    }
    const pad = (hi - (min ?? lo) || Math.abs(hi) || 1) * 0.06;
    return [min ?? lo - pad, hi + pad];
  };
}

/** Whole decades inside a range. */
function decades(_: uPlot, __: number, lo: number, hi: number): number[] {
  const [a, b] = [Math.ceil(Math.log10(lo) - 1e-9), Math.floor(Math.log10(hi) + 1e-9)];
  return Array.from({ length: Math.max(b - a + 1, 0) }, (_, k) => 10 ** (a + k));
}

/** Name and unit of the axis. */
function axisOf(p: Props): [string, string] {
  const [name = "", unit = ""] = (p.axis ?? p.xLabel).split(", ");
  return [name, unit];
}

export function Plot(props: Props) {
  const host = useRef<HTMLDivElement>(null);
  const readout = useRef<HTMLSpanElement>(null);
  const plot = useRef<uPlot>(undefined);
  const theme = useTheme();
  const latest = useRef(props);
  latest.current = props;
  const { curves, logY = false, logX = false, xLabel, handle } = props;
  const shape = curves.map((c) => `${c.name}|${c.low !== undefined}|${c.spans}`).join(";");

  // biome-ignore lint/correctness/useExhaustiveDependencies: the picture is made anew only when its shape changes
  useEffect(() => {
    const el = host.current;
    if (!el) return;
    let shift = false;
    let silent = false;
    const ink = colour("ink-soft");
    const grid = { stroke: colour("graticule"), width: 1 };
    const font = '11px "JetBrains Mono Variable"';
    const series: uPlot.Series[] = [{}];
    const bands: uPlot.Band[] = [];
    curves.forEach((c, i) => {
      const stroke = traceColour(i);
      const line = {
        stroke,
        width: 1.25,
        points: { show: false },
        dash: c.low ? [] : traceDash(i),
        spanGaps: c.spans ?? false,
      };
      series.push(line);
      if (c.low) {
        series.push(line);
        bands.push({ series: [series.length - 2, series.length - 1], fill: `${stroke}a0` });
      }
    });
    const current = () => latest.current;
    const axis = () => axisOf(current());
    const u = new uPlot(
      {
        width: el.clientWidth,
        height: el.clientHeight,
        padding: [8, 20, 0, 0],
        legend: { show: false },
        cursor: { drag: { x: true, y: false, setScale: false }, points: { show: false }, y: false },
        scales: {
          x: {
            time: false,
            distr: props.logX ? 3 : 1,
            range: (_, lo, hi) => {
              const [a, b] = current().range ?? [lo, hi];
              // A logarithmic axis has no zero.
              return props.logX ? [Math.max(a, (current().x[0] ?? 1) || 1e-3, 1e-9), b] : [a, b];
            },
          },
          y: { distr: logY ? 3 : 1, range: yRange(logY, props.yMin) },
        },
        axes: [
          {
            stroke: ink,
            grid,
            ticks: { show: false },
            font,
            values: (_, v) => v.map((t) => (t == null ? "" : short(t, 6))),
            size: 26,
          },
          {
            stroke: ink,
            grid,
            ticks: { show: false },
            font,
            size: 58,
            ...(logY ? { splits: decades } : {}),
            values: (_, v) => v.map((t) => (t == null ? "" : short(t))),
          },
        ],
        series,
        bands,
        hooks: {
          draw: [
            (p) => {
              drawMarks(p, current().marks ?? [], current().band);
              drawPin(p, crosshair.pinned(axis()[0]));
            },
          ],
          setSelect: [
            (p) => {
              if (silent || p.select.width < 3) return;
              const to: Range = [p.posToVal(p.select.left, "x"), p.posToVal(p.select.left + p.select.width, "x")];
              silent = true;
              p.setSelect({ left: 0, width: 0, top: 0, height: 0 }, false);
              silent = false;
              if (shift) current().onBracket?.(to);
              else current().onZoom?.(to);
            },
          ],
        },
      },
      aligned(props.x, curves, logY),
      el,
    );
    plot.current = u;
    let downAt = 0;
    let held: Mark | undefined;
    const across = (e: MouseEvent) => e.clientX - u.over.getBoundingClientRect().left;
    const down = (e: PointerEvent) => {
      shift = e.shiftKey;
      downAt = e.clientX;
      const near = (m: Mark) => Math.abs(u.valToPos(m.x, "x") - across(e));
      const reach = (current().marks ?? []).filter((m) => m.onDrag && near(m) < 6);
      held = reach.sort((a, b) => near(a) - near(b))[0];
      if (held) u.over.setPointerCapture(e.pointerId);
    };
    const move = (e: PointerEvent) => {
      held?.onDrag?.(u.posToVal(across(e), "x"));
      crosshair.put({ [axis()[0]]: u.posToVal(across(e), "x") });
    };
    const leave = () => crosshair.put({});
    const up = () => {
      held = undefined;
    };
    // What is dragged is a mark: the picture is not zoomed then.
    const press = (e: MouseEvent) => held && e.stopPropagation();
    const click = (e: MouseEvent) => {
      if (Math.abs(e.clientX - downAt) > 3) return;
      take(u.posToVal(across(e), "x"), perPixel(across(e)));
    };
    const perPixel = (left: number) => Math.abs(u.posToVal(left + 1, "x") - u.posToVal(left, "x"));
    // Where nothing else is read at a place, it is pinned.
    const take = (at: number, pixel: number) => {
      if (current().onPoint) current().onPoint?.(at, pixel);
      else crosshair.pin(axis()[0], at, 6 * pixel);
    };
    const keys = (e: KeyboardEvent) => {
      const { min, max } = u.scales.x ?? {};
      if (min === undefined || max === undefined || min === null || max === null || e.ctrlKey || e.altKey) return;
      const [name] = axis();
      const left = u.valToPos(crosshair.at(name) ?? (min + max) / 2, "x");
      const by = { ArrowLeft: -1, ArrowRight: 1 }[e.key];
      const to = (px: number) => crosshair.put({ [name]: Math.min(Math.max(u.posToVal(px, "x"), min), max) });
      if (by) to(left + by * (e.shiftKey ? 20 : 1));
      else if (e.key === "Home") to(0);
      else if (e.key === "End") to(u.over.clientWidth);
      else if (e.key === "Enter") take(u.posToVal(left, "x"), perPixel(left));
      else if (e.key === " ") crosshair.pin(name, u.posToVal(left, "x"), 6 * perPixel(left));
      else if (e.key !== "Escape" || !crosshair.clear()) return;
      e.preventDefault();
      e.stopPropagation();
    };
    let pin: number | undefined;
    let shown = false;
    const follow = () => {
      const [name, unit] = axis();
      const at = crosshair.at(name);
      const { min, max } = u.scales.x ?? {};
      const seen = at !== undefined && at >= (min ?? 0) && at <= (max ?? 0);
      if (pin !== crosshair.pinned(name)) u.redraw(false, false);
      pin = crosshair.pinned(name);
      // It moves with every pixel of the pointer: pictures of other axes have nothing to do.
      if (!seen && !shown) return;
      shown = seen;
      u.setCursor(seen ? { left: u.valToPos(at, "x"), top: 0 } : { left: -10, top: -10 }, false);
      // On the side where the crosshair is not.
      const aside = at !== undefined && u.valToPos(at, "x") > u.over.clientWidth / 2;
      readout.current?.classList.toggle("right-3", !aside);
      readout.current?.classList.toggle("left-16", aside);
      readout.current?.replaceChildren(
        ...(seen ? [whereabouts(name, unit), ...readValues(u, current().curves, at)].flatMap((p) => [p, " "]) : []),
      );
    };
    const unfollow = crosshair.follow(follow);
    const wheel = (e: WheelEvent) => {
      const { min, max } = u.scales.x ?? {};
      if (!current().onZoom || min === undefined || max === undefined || min === null || max === null) return;
      e.preventDefault();
      const at = u.posToVal(e.clientX - u.over.getBoundingClientRect().left, "x");
      const by = e.deltaY < 0 ? 0.8 : 1.25;
      current().onZoom?.([at - (at - min) * by, at + (max - at) * by]);
    };
    const back = () => current().onBack?.();
    u.over.addEventListener("pointerdown", down, true);
    u.over.addEventListener("pointermove", move);
    u.over.addEventListener("pointerup", up);
    u.over.addEventListener("pointerleave", leave);
    el.addEventListener("keydown", keys);
    el.addEventListener("mousedown", press, true);
    u.over.addEventListener("click", click);
    u.over.addEventListener("dblclick", back);
    u.over.addEventListener("wheel", wheel, { passive: false });
    const watch = new ResizeObserver(() => u.setSize({ width: el.clientWidth, height: el.clientHeight }));
    watch.observe(el);
    return () => {
      watch.disconnect();
      unfollow();
      el.removeEventListener("keydown", keys);
      el.removeEventListener("mousedown", press, true);
      u.destroy();
      plot.current = undefined;
    };
  }, [shape, logY, logX, props.yMin, theme]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: a picture made anew for other colours has no data yet
  useEffect(() => {
    plot.current?.setData(aligned(props.x, props.curves, logY));
  }, [props.x, props.curves, logY, theme]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: range and marks are read when drawing
  useEffect(() => {
    plot.current?.redraw(false, true);
    const [lo, hi] = props.range ?? [undefined, undefined];
    if (lo !== undefined && hi !== undefined) plot.current?.setScale("x", { min: lo, max: hi });
  }, [props.range?.[0], props.range?.[1], props.marks, props.band?.[0], props.band?.[1], theme]);

  useImperativeHandle(handle, () => ({
    draw: (x, next) => plot.current?.setData(aligned(x, next, logY)),
  }));

  return (
    <div className="relative min-h-0 flex-1">
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: arrows move the crosshair over the picture */}
      <div ref={host} role="img" tabIndex={0} aria-label={props.label} className="absolute inset-0" />
      <span
        ref={readout}
        className="num pointer-events-none absolute top-1 right-3 flex gap-x-2 bg-sheet/85 px-1 text-[11px] leading-4 whitespace-pre"
      />
      <span className="pointer-events-none absolute right-3 bottom-6 bg-sheet/80 px-1 text-[12px] text-soft">
        {xLabel}
      </span>
    </div>
  );
}

/** Legend entries with the dash their curves have. */
export function Legend({ names }: { names: string[] }) {
  return (
    <span className="ml-auto flex flex-wrap justify-end gap-x-4 text-[12px]">
      {names.map((n, i) => (
        <span key={n} className="flex items-center gap-1.5">
          <svg width="22" height="8" aria-hidden>
            <path
              d="M0 4h22"
              stroke={`var(--t${(i % 8) + 1})`}
              strokeWidth="2"
              strokeDasharray={traceDash(i).join(" ")}
            />
          </svg>
          {n}
        </span>
      ))}
    </span>
  );
}
