/** Complex curves one part against the other: the end of the vector as the axis runs. */
import { useEffect, useRef } from "react";
import { pen, useCanvas } from "../../../ui/canvas";
import { amplitude } from "../../../ui/complex";
import { digits, short } from "../../../ui/format";
import type { PlotFile } from "../../../ui/plot/file";
import { Legend } from "../../../ui/plot/Plot";
import { SaveMenu } from "../../../ui/plot/SaveMenu";
import { colour, traceColour, traceDash } from "../../../ui/traces";
import type { ComplexProps } from "./Bode";
import { part } from "./phase";

/** The end of the vector as the axis runs, with places named. */
type Props = Pick<ComplexProps, "label" | "result" | "traces" | "look" | "range">;

export function Polar({ label, result, traces, look, range }: Props) {
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
  const file = (): PlotFile => {
    const inside = (x: number) => !range || (x >= range[0] && x <= range[1]);
    const kept = (v: number[]) => v.filter((_, i) => inside(axis?.values[i] ?? 0));
    const complex = traces.filter((t) => t.re);
    const unit = complex[0]?.unit ?? "";
    return {
      title: label,
      size: [700, 700],
      round: true,
      x: { label: `real part, ${unit}`, values: [] },
      panes: [
        {
          label: `imaginary part, ${unit}`,
          curves: complex.map((t) => ({
            name: t.name,
            x: kept(part(t, "re", look.turn ?? 0)),
            values: kept(part(t, "im", look.turn ?? 0)),
          })),
        },
      ],
      notes: [],
    };
  };
  return (
    <>
      {traces.length > 1 && (
        <div className="px-3">
          <Legend names={traces.filter((t) => t.re).map((t) => t.name)} />
        </div>
      )}
      <div className="relative min-h-0 flex-1">
        <canvas ref={canvas} role="img" aria-label={label} className="absolute inset-0 h-full w-full" />
        <SaveMenu label={label} file={file} className="bottom-5!" />
      </div>
    </>
  );
}
