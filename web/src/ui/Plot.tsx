/** A plot in time or frequency: drag to zoom, double-click back, wheel at the pointer, Shift-drag to bracket. */
import { type Ref, useEffect, useImperativeHandle, useRef } from "react";
import uPlot from "uplot";
import { short } from "./format";
import { colour, traceColour, traceDash } from "./traces";

export type Range = [number, number];
export type Mark = { x: number; says: string };
/** A curve, or an envelope where `low` is given. */
export type Curve = { name: string; high: ArrayLike<number>; low?: ArrayLike<number> };
export type PlotHandle = { draw: (x: ArrayLike<number>, curves: Curve[]) => void };

type Props = {
  label: string;
  x: ArrayLike<number>;
  curves: Curve[];
  /** Shown range; all when left out. */
  range?: Range | undefined;
  xLabel: string;
  logY?: boolean;
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
    const pad = (hi - lo || Math.abs(hi) || 1) * 0.06;
    return [min ?? lo - pad, hi + pad];
  };
}

/** Whole decades inside a range. */
function decades(_: uPlot, __: number, lo: number, hi: number): number[] {
  const [a, b] = [Math.ceil(Math.log10(lo) - 1e-9), Math.floor(Math.log10(hi) + 1e-9)];
  return Array.from({ length: Math.max(b - a + 1, 0) }, (_, k) => 10 ** (a + k));
}

function drawMarks(u: uPlot, marks: Mark[]) {
  const { ctx, bbox } = u;
  const ratio = devicePixelRatio;
  ctx.save();
  ctx.strokeStyle = colour("magenta");
  ctx.fillStyle = colour("magenta");
  ctx.lineWidth = 1.25 * ratio;
  ctx.font = `${11 * ratio}px "JetBrains Mono Variable"`;
  ctx.textBaseline = "middle";
  ctx.textAlign = "left";
  ctx.setLineDash([]);
  const ends: number[] = [];
  for (const m of [...marks].sort((a, b) => a.x - b.x)) {
    const x = u.valToPos(m.x, "x", true);
    if (x < bbox.left || x > bbox.left + bbox.width) continue;
    // Pennants that would overlap hang lower.
    let row = 0;
    while ((ends[row] ?? -1) > x - 4 * ratio) row += 1;
    const width = ctx.measureText(m.says).width + 14 * ratio;
    ends[row] = x + width;
    const y = bbox.top + (4 + row * 20) * ratio;
    const h = 15 * ratio;
    ctx.beginPath();
    ctx.moveTo(x, bbox.top + bbox.height);
    ctx.lineTo(x, y);
    ctx.lineTo(x + width, y);
    ctx.lineTo(x + width - 5 * ratio, y + h / 2);
    ctx.lineTo(x + width, y + h);
    ctx.lineTo(x, y + h);
    ctx.stroke();
    ctx.fillText(m.says, x + 4 * ratio, y + h / 2 + ratio);
  }
  ctx.restore();
}

export function Plot(props: Props) {
  const host = useRef<HTMLDivElement>(null);
  const plot = useRef<uPlot>(undefined);
  const latest = useRef(props);
  latest.current = props;
  const { curves, logY = false, xLabel, handle } = props;
  const shape = curves.map((c) => `${c.name}|${c.low !== undefined}`).join(";");

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
      const line = { stroke, width: 1.25, points: { show: false }, dash: c.low ? [] : traceDash(i) };
      series.push(line);
      if (c.low) {
        series.push(line);
        bands.push({ series: [series.length - 2, series.length - 1], fill: `${stroke}a0` });
      }
    });
    const current = () => latest.current;
    const u = new uPlot(
      {
        width: el.clientWidth,
        height: el.clientHeight,
        padding: [8, 12, 0, 0],
        legend: { show: false },
        cursor: { drag: { x: true, y: false, setScale: false }, points: { show: false }, y: false },
        scales: {
          x: { time: false, range: (_, lo, hi) => current().range ?? [lo, hi] },
          y: { distr: logY ? 3 : 1, range: yRange(logY, props.yMin) },
        },
        axes: [
          { stroke: ink, grid, ticks: { show: false }, font, values: (_, v) => v.map((t) => short(t, 6)), size: 26 },
          {
            stroke: ink,
            grid,
            ticks: { show: false },
            font,
            size: 58,
            ...(logY ? { splits: decades } : {}),
            values: (_, v) => v.map((t) => short(t)),
          },
        ],
        series,
        bands,
        hooks: {
          draw: [(p) => drawMarks(p, current().marks ?? [])],
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
    const down = (e: PointerEvent) => {
      shift = e.shiftKey;
      downAt = e.clientX;
    };
    const click = (e: MouseEvent) => {
      if (Math.abs(e.clientX - downAt) > 3) return;
      const left = e.clientX - u.over.getBoundingClientRect().left;
      current().onPoint?.(u.posToVal(left, "x"), Math.abs(u.posToVal(left + 1, "x") - u.posToVal(left, "x")));
    };
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
    u.over.addEventListener("click", click);
    u.over.addEventListener("dblclick", back);
    u.over.addEventListener("wheel", wheel, { passive: false });
    const watch = new ResizeObserver(() => u.setSize({ width: el.clientWidth, height: el.clientHeight }));
    watch.observe(el);
    return () => {
      watch.disconnect();
      u.destroy();
      plot.current = undefined;
    };
  }, [shape, logY, props.yMin]);

  useEffect(() => {
    plot.current?.setData(aligned(props.x, props.curves, logY));
  }, [props.x, props.curves, logY]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: range and marks are read when drawing
  useEffect(() => {
    plot.current?.redraw(false, true);
    const [lo, hi] = props.range ?? [undefined, undefined];
    if (lo !== undefined && hi !== undefined) plot.current?.setScale("x", { min: lo, max: hi });
  }, [props.range?.[0], props.range?.[1], props.marks]);

  useImperativeHandle(handle, () => ({
    draw: (x, next) => plot.current?.setData(aligned(x, next, logY)),
  }));

  return (
    <div className="relative min-h-0 flex-1">
      <div ref={host} role="img" aria-label={props.label} className="absolute inset-0" />
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
