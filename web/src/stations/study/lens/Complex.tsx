/** Complex curves: amplitude over phase (Bode), real over imaginary part, or one against the other (polar). */
import { useEffect, useMemo, useRef } from "react";
import type { Analysis } from "../../../api/client";
import { digits, short } from "../../../ui/format";
import { Legend, Plot, type Range } from "../../../ui/Plot";
import { colour, traceColour, traceDash } from "../../../ui/traces";
import { pen, useCanvas } from "../../run/panes/canvas";
import type { PanelLook } from "../bench";
import { amplitude, scaled } from "./Curves";
import type { Overlaid } from "./overlay";

type Trace = Analysis["traces"][number];

/** Phase in degrees, turned, between −180 and 180. */
const phases = (t: Trace, turn: number) =>
  (t.re ?? []).map((re, i) => {
    const im = t.im?.[i] ?? 0;
    const deg = (Math.atan2(im, re) * 180) / Math.PI + turn;
    return Number.isFinite(deg) ? deg - 360 * Math.round(deg / 360) : Number.NaN;
  });

/** Real or imaginary part, turned. */
const part = (t: Trace, of: "re" | "im", turn: number) => {
  const [c, s] = [Math.cos((turn * Math.PI) / 180), Math.sin((turn * Math.PI) / 180)];
  return (t.re ?? []).map((re, i) => {
    const im = t.im?.[i] ?? 0;
    return of === "re" ? c * re - s * im : s * re + c * im;
  });
};

type Props = {
  label: string;
  result: Overlaid;
  traces: Trace[];
  look: PanelLook;
  logX?: boolean;
  range?: Range | undefined;
  onZoom: (to: Range) => void;
  onBack: () => void;
  onBracket: (to: Range) => void;
};

export function Bode({ label, result, traces, look, logX, range, ...on }: Props) {
  const axis = result.axes[0];
  const complex = useMemo(() => traces.filter((t) => t.re), [traces]);
  const plain = useMemo(() => traces.filter((t) => !t.re), [traces]);
  const turn = look.turn ?? 0;
  const parts = look.view === "parts";
  const spans = result.joined ?? false;
  const x = axis?.values ?? [];
  const xLabel = axis ? `${axis.name}, ${axis.unit}` : "";
  const high = useMemo(
    () =>
      complex.map((t) => ({
        name: t.name,
        high: parts ? part(t, "re", turn) : scaled(amplitude(t), look, t.quantity),
        spans,
      })),
    [complex, look, spans, parts, turn],
  );
  const low = useMemo(
    () => complex.map((t) => ({ name: t.name, high: parts ? part(t, "im", turn) : phases(t, turn), spans })),
    [complex, turn, spans, parts],
  );
  const beside = useMemo(() => plain.map((t) => ({ name: t.name, high: t.values })), [plain]);
  const shared = { x, range, xLabel, axis: xLabel, ...(logX ? { logX } : {}), ...on };
  return (
    <>
      {complex.length > 1 && (
        <div className="px-3">
          <Legend names={complex.map((t) => t.name)} />
        </div>
      )}
      <div className="flex min-h-0 flex-[2] flex-col">
        <Plot
          label={parts ? `${label}, real part` : label}
          curves={high}
          logY={look.scale === "log" && !parts}
          {...shared}
          xLabel=""
        />
      </div>
      <div className="flex min-h-0 flex-1 flex-col">
        <Plot
          label={`${label}, ${parts ? "imaginary part" : "phase in degrees"}`}
          curves={low}
          {...shared}
          xLabel={beside.length ? "" : xLabel}
        />
      </div>
      {beside.length > 0 && (
        <div className="flex min-h-0 flex-[0.7] flex-col">
          <Plot label={`${label}, ${plain[0]?.quantity}`} curves={beside} yMin={0} {...shared} />
        </div>
      )}
    </>
  );
}

/** The end of the vector as the axis runs, with places named. */
export function Polar({ label, result, traces, look, range }: Omit<Props, "onZoom" | "onBack" | "onBracket">) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const axis = result.axes[0];
  const draw = useRef(() => {});
  draw.current = () => {
    const to = canvas.current && pen(canvas.current);
    if (!to || !axis) return;
    const { ctx, w, h } = to;
    const turn = ((look.turn ?? 0) * Math.PI) / 180;
    const inside = (x: number) => !range || (x >= range[0] && x <= range[1]);
    const complex = traces.filter((t) => t.re && t.im);
    let most = 0;
    for (const t of complex)
      amplitude(t).forEach((a, i) => {
        if (inside(axis.values[i] ?? 0) && a > most) most = a;
      });
    const r = Math.min(w, h) / 2 - 24;
    const [cx, cy] = [w / 2, h / 2];
    ctx.clearRect(0, 0, w, h);
    if (!(most > 0) || r < 20) return;
    ctx.strokeStyle = colour("graticule");
    ctx.fillStyle = colour("ink-soft");
    ctx.font = '11px "JetBrains Mono Variable"';
    ctx.lineWidth = 1;
    ctx.textAlign = "center";
    ctx.textBaseline = "middle";
    for (const k of [0.5, 1]) {
      ctx.beginPath();
      ctx.arc(cx, cy, k * r, 0, 7);
      ctx.stroke();
    }
    for (let deg = 0; deg < 360; deg += 30) {
      const a = (deg * Math.PI) / 180;
      ctx.beginPath();
      ctx.moveTo(cx, cy);
      ctx.lineTo(cx + r * Math.cos(a), cy - r * Math.sin(a));
      ctx.stroke();
      if (deg % 90 === 0) ctx.fillText(`${deg}°`, cx + (r + 14) * Math.cos(a), cy - (r + 14) * Math.sin(a));
    }
    ctx.textAlign = "left";
    ctx.fillText(`circle ${short(most)} ${complex[0]?.unit ?? ""}`, 8, h - 10);
    complex.forEach((t, k) => {
      ctx.strokeStyle = traceColour(k);
      ctx.fillStyle = traceColour(k);
      ctx.setLineDash(traceDash(k));
      ctx.lineWidth = 1.25;
      ctx.beginPath();
      let down = false;
      const points: { x: number; y: number; v: number; a: number }[] = [];
      axis.values.forEach((v, i) => {
        const [re, im] = [t.re?.[i] ?? Number.NaN, t.im?.[i] ?? Number.NaN];
        if (!inside(v) || !Number.isFinite(re) || !Number.isFinite(im)) {
          down = false;
          return;
        }
        const a = Math.hypot(re, im);
        const phase = Math.atan2(im, re) + turn;
        const p = { x: cx + (a / most) * r * Math.cos(phase), y: cy - (a / most) * r * Math.sin(phase), v, a };
        points.push(p);
        if (down) ctx.lineTo(p.x, p.y);
        else ctx.moveTo(p.x, p.y);
        down = true;
      });
      ctx.stroke();
      ctx.setLineDash([]);
      // A few speeds are named, so that the way along the curve can be followed: far enough apart to be read.
      let last = { x: -99, y: -99 };
      for (const p of points) {
        if (Math.hypot(p.x - last.x, p.y - last.y) < 34 || p.a < 0.15 * most) continue;
        ctx.beginPath();
        ctx.arc(p.x, p.y, 2, 0, 7);
        ctx.fill();
        ctx.fillText(digits(p.v, 4), p.x + 5, p.y);
        last = p;
      }
    });
  };
  const redraw = useRef(() => draw.current());
  useCanvas(canvas, redraw.current);
  // biome-ignore lint/correctness/useExhaustiveDependencies: drawn anew whenever what is drawn changes
  useEffect(() => draw.current(), [result, traces, look, range?.[0], range?.[1]]);
  return (
    <>
      {traces.length > 1 && (
        <div className="px-3">
          <Legend names={traces.filter((t) => t.re).map((t) => t.name)} />
        </div>
      )}
      <div className="relative min-h-0 flex-1">
        <canvas ref={canvas} role="img" aria-label={label} className="absolute inset-0 h-full w-full" />
      </div>
    </>
  );
}
