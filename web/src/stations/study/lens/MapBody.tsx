/** A map: darker is more, in grey too; what is under the pointer is read beside it. */
import { type ReactNode, useEffect, useRef, useState } from "react";
import type { Analysis } from "../../../api/client";
import { pen, useCanvas } from "../../../ui/canvas";
import { axisName, digits, short } from "../../../ui/format";
import { AxisMenu } from "../../../ui/plot/AxisMenu";
import { crosshair } from "../../../ui/plot/crosshair";
import { numbers, type PlotFile } from "../../../ui/plot/file";
import type { Range } from "../../../ui/plot/Plot";
import { SaveMenu } from "../../../ui/plot/SaveMenu";
import { shade } from "../../../ui/shade";
import { colour } from "../../../ui/traces";
import type { MapColours, PanelLook } from "../bench";
import { axisLabel } from "./Curves";
import { ScaleWords } from "./LookWords";

const LEFT = 66;
const FOOT = 26;
const TOP = 8;
/** The bar of shades with its numbers. */
const RIGHT = 78;
const BAR = { from: 66, wide: 12 };
/** Decades from the lightest to the darkest shade. */
const DECADES = 3;

type Trace = Analysis["traces"][number];
type Props = {
  label: string;
  result: Analysis;
  trace: Trace;
  look: PanelLook;
  onLook: (part: Partial<PanelLook>) => void;
  /** The result with every point, for files. */
  whole?: (() => Promise<Analysis>) | undefined;
  /** Which map, where there are several. */
  chooser: ReactNode;
  /** Shown stretch of the second axis, which runs to the right. */
  range?: Range | undefined;
  onZoom: (to: Range) => void;
  onBack: () => void;
  /** A click: the place on the first axis and on the second. */
  onPoint?: ((first: number, second: number) => void) | undefined;
};

export function MapBody({ label, result, trace, look, onLook, whole, chooser, range, ...p }: Props) {
  const { onZoom, onBack, onPoint } = p;
  const canvas = useRef<HTMLCanvasElement>(null);
  const [under, setUnder] = useState<{ x: number; y: number; v: number }>();
  const drag = useRef<number>(undefined);
  const across = useRef<HTMLSpanElement>(null);
  const along = useRef<HTMLSpanElement>(null);
  const [rows, columns] = result.axes;
  const shown = (): Range => {
    const all = columns?.values ?? [];
    return range ?? [all[0] ?? 0, all.at(-1) ?? 1];
  };
  const draw = useRef(() => {});
  draw.current = () => {
    const el = canvas.current;
    const to = el && pen(el);
    if (!el || !to || !rows || !columns || rows.values.length < 2) return;
    const { ctx, w, h } = to;
    const [lo, hi] = shown();
    const [bottom, top] = [rows.values[0] ?? 0, rows.values.at(-1) ?? 1];
    const [pw, ph] = [w - LEFT - RIGHT, h - TOP - FOOT];
    if (pw < 20 || ph < 20) return;
    const most = largest(trace.values);
    const log = look.scale !== "linear";
    const n = columns.values.length;
    const [first, last] = [columns.values[0] ?? 0, columns.values.at(-1) ?? 1];
    const image = ctx.createImageData(Math.round(pw), Math.round(ph));
    // Which row and column is behind a pixel: rows may stand unevenly, columns stand evenly.
    let r = rows.values.length - 1;
    for (let y = 0; y < image.height; y++) {
      const at = top - ((y + 0.5) / image.height) * (top - bottom);
      while (r > 0 && Math.abs((rows.values[r - 1] ?? 0) - at) <= Math.abs((rows.values[r] ?? 0) - at)) r -= 1;
      for (let x = 0; x < image.width; x++) {
        const place = (px: number) => ((lo + (px / image.width) * (hi - lo) - first) / (last - first)) * (n - 1);
        const [a, b] = [Math.round(place(x)), Math.max(Math.round(place(x + 1)), Math.round(place(x)) + 1)];
        let v = 0;
        for (let c = a; c < b; c++) v = Math.max(v, trace.values[r * n + c] ?? 0);
        const share = log ? 1 + Math.log10(Math.max(v, 1e-30) / most) / DECADES : v / most;
        image.data.set([...shade(share, look.map), 255], (y * image.width + x) * 4);
      }
    }
    ctx.clearRect(0, 0, w, h);
    // An image is put pixel by pixel: by way of a canvas of its own it follows the screen's scale.
    const own = document.createElement("canvas");
    [own.width, own.height] = [image.width, image.height];
    own.getContext("2d")?.putImageData(image, 0, 0);
    ctx.drawImage(own, LEFT, TOP, pw, ph);
    ctx.strokeStyle = colour("graticule");
    ctx.strokeRect(LEFT, TOP, pw, ph);
    ctx.fillStyle = colour("ink-soft");
    ctx.font = '11px "JetBrains Mono Variable"';
    ctx.textBaseline = "middle";
    ctx.textAlign = "right";
    for (const t of ticks(bottom, top, 5)) ctx.fillText(short(t, 5), LEFT - 6, TOP + ((top - t) / (top - bottom)) * ph);
    ctx.textAlign = "center";
    // The name of the axis stands at its end.
    const free = w - RIGHT - 7 * axisLabel(columns).length - 12;
    for (const t of ticks(lo, hi, 7)) {
      const x = LEFT + ((t - lo) / (hi - lo)) * pw;
      if (x < free || axisLabel(columns) === "") ctx.fillText(short(t, 5), x, h - FOOT / 2);
    }
    bar(ctx, { x: w - BAR.from, top: TOP, high: ph, most, log, map: look.map });
  };
  const redraw = useRef(() => draw.current());
  useCanvas(canvas, redraw.current);
  // biome-ignore lint/correctness/useExhaustiveDependencies: drawn anew whenever what is drawn changes
  useEffect(() => draw.current(), [trace, look.scale, look.map, range?.[0], range?.[1]]);
  // The crosshair of other pictures with one of the axes.
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is shown follows from axes and range
  useEffect(
    () =>
      crosshair.follow(() => {
        const [lo, hi] = shown();
        const [bottom, top] = [rows?.values[0] ?? 0, rows?.values.at(-1) ?? 1];
        const lay = (el: HTMLSpanElement | null, side: "left" | "top", at: number | undefined, share: number) => {
          if (!el) return;
          el.style.display = at === undefined || share < 0 || share > 1 ? "none" : "";
          const [before, after] = side === "left" ? [LEFT, RIGHT] : [TOP, FOOT];
          el.style[side] = `calc(${before}px + (100% - ${before + after}px) * ${share})`;
        };
        const [x, y] = [crosshair.at(columns?.name ?? ""), crosshair.at(rows?.name ?? "")];
        lay(across.current, "left", x, ((x ?? 0) - lo) / (hi - lo));
        lay(along.current, "top", y, (top - (y ?? 0)) / (top - bottom));
      }),
    [rows, columns, range?.[0], range?.[1]],
  );
  const place = (e: React.PointerEvent) => {
    const box = e.currentTarget.getBoundingClientRect();
    const [lo, hi] = shown();
    const x = lo + ((e.clientX - box.left - LEFT) / (box.width - LEFT - RIGHT)) * (hi - lo);
    const all = rows?.values ?? [];
    const [bottom, top] = [all[0] ?? 0, all.at(-1) ?? 1];
    const y = top - ((e.clientY - box.top - TOP) / (box.height - TOP - FOOT)) * (top - bottom);
    return { x, y };
  };
  const file = async (): Promise<PlotFile> => {
    const all = (await whole?.()) ?? result;
    const own = all.traces.find((t) => t.name === trace.name && t.quantity === trace.quantity) ?? trace;
    return {
      title: label,
      size: [760, 460],
      x: {
        label: axisLabel(all.axes[1]),
        values: all.axes[1]?.values ?? [],
        from: range?.[0] ?? null,
        to: range?.[1] ?? null,
      },
      panes: [
        {
          label: axisLabel(all.axes[0]),
          map: {
            rows: all.axes[0]?.values ?? [],
            values: numbers(own.values),
            label: axisName(own.quantity, own.unit),
            decades: look.scale === "linear" ? null : DECADES,
            shades: look.map ?? "tide",
          },
        },
      ],
      notes: [],
    };
  };
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <div className="flex items-baseline px-3 text-[13px]">
        {chooser}
        <p className="num ml-auto text-right text-[11px] text-soft">
          {under
            ? `${rows?.name} ${digits(under.y, 4)} · ${columns?.name} ${digits(under.x, 4)} · ${digits(under.v, 3)} ${trace.unit}`
            : `darkest ${short(largest(trace.values))} ${trace.unit}${look.scale === "linear" ? "" : `, ${DECADES} decades`}`}
        </p>
      </div>
      <div className="relative min-h-0 flex-1">
        <canvas
          ref={canvas}
          role="img"
          aria-label={label}
          className="absolute inset-0 h-full w-full touch-none"
          onPointerDown={(e) => {
            drag.current = place(e).x;
            e.currentTarget.setPointerCapture(e.pointerId);
          }}
          onPointerMove={(e) => {
            const p = place(e);
            if (rows && columns) crosshair.put({ [rows.name]: p.y, [columns.name]: p.x });
            const n = columns?.values.length ?? 1;
            const near = (all: number[] | undefined, v: number) => {
              let best = 0;
              for (let i = 1; i < (all?.length ?? 0); i++)
                if (Math.abs((all?.[i] ?? 0) - v) < Math.abs((all?.[best] ?? 0) - v)) best = i;
              return best;
            };
            const [r, c] = [near(rows?.values, p.y), near(columns?.values, p.x)];
            setUnder({
              x: columns?.values[c] ?? Number.NaN,
              y: rows?.values[r] ?? Number.NaN,
              v: trace.values[r * n + c] ?? Number.NaN,
            });
          }}
          onPointerUp={(e) => {
            const [from, p] = [drag.current, place(e)];
            drag.current = undefined;
            if (from === undefined) return;
            const [lo, hi] = shown();
            if (Math.abs(p.x - from) > (hi - lo) / 100) onZoom([Math.min(from, p.x), Math.max(from, p.x)]);
            else onPoint?.(p.y, p.x);
          }}
          onPointerLeave={() => {
            setUnder(undefined);
            crosshair.put({});
          }}
          onDoubleClick={onBack}
        />
        <AxisMenu
          says={axisLabel(columns)}
          which="horizontal"
          log={false}
          limits={range}
          onLimits={(to) => (to ? onZoom(to) : onBack())}
          right={RIGHT}
        />
        <AxisMenu says={axisLabel(rows)} which="vertical" log={false} limits={undefined}>
          <p>
            shades <ScaleWords look={look} onSet={onLook} />
          </p>
        </AxisMenu>
        <SaveMenu label={label} file={file} />
        <span
          ref={across}
          className="pointer-events-none absolute border-l border-dashed border-ink"
          style={{ display: "none", top: TOP, bottom: FOOT }}
        />
        <span
          ref={along}
          className="pointer-events-none absolute border-t border-dashed border-ink"
          style={{ display: "none", left: LEFT, right: RIGHT }}
        />
      </div>
    </div>
  );
}

const largest = (values: number[]) => values.reduce((a, b) => Math.max(a, b), 0);

type Bar = {
  x: number;
  top: number;
  high: number;
  most: number;
  log: boolean;
  map: MapColours | undefined;
};

/** The shades of a map with the values they stand for. */
function bar(ctx: CanvasRenderingContext2D, b: Bar) {
  for (let y = 0; y < b.high; y++) {
    const [r, g, bl] = shade(1 - (y + 0.5) / b.high, b.map);
    ctx.fillStyle = `rgb(${r} ${g} ${bl})`;
    ctx.fillRect(b.x, b.top + y, BAR.wide, 1.5);
  }
  ctx.strokeStyle = colour("ink-soft");
  ctx.strokeRect(b.x, b.top, BAR.wide, b.high);
  ctx.fillStyle = colour("ink-soft");
  ctx.textAlign = "left";
  const top = Math.log10(b.most);
  const at = b.log
    ? Array.from({ length: DECADES }, (_, k) => Math.floor(top) - k).map((e) => ({
        v: 10 ** e,
        share: 1 - (top - e) / DECADES,
      }))
    : ticks(0, b.most, 4).map((v) => ({ v, share: v / b.most }));
  for (const { v, share } of at)
    if (share >= 0.02 && share <= 1) ctx.fillText(short(v, 3), b.x + BAR.wide + 4, b.top + b.high * (1 - share));
}

/** Round numbers inside a range, about so many. */
export function ticks(lo: number, hi: number, about: number): number[] {
  const raw = (hi - lo) / about;
  if (!(raw > 0)) return [];
  const tens = 10 ** Math.floor(Math.log10(raw));
  const step = ([1, 2, 5, 10].find((k) => k * tens >= raw) ?? 10) * tens;
  const first = Math.ceil(lo / step) * step;
  return Array.from({ length: Math.floor((hi - first) / step + 1e-9) + 1 }, (_, k) => first + k * step);
}
