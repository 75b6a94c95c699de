/** The pulse train against threshold and hysteresis. */
import type { Schema } from "../../api/client";
import { colour } from "../../ui/traces";

type Pen = { ctx: CanvasRenderingContext2D; w: number; h: number };

export function drawPulses(
  { ctx, w, h }: Pen,
  low: ArrayLike<number>,
  high: ArrayLike<number>,
  tacho: Schema["Tachometer"],
) {
  const n = low.length;
  let [lo, hi] = [tacho.threshold - tacho.hysteresis, tacho.threshold];
  for (let i = 0; i < n; i++) {
    lo = Math.min(lo, low[i] ?? lo);
    hi = Math.max(hi, high[i] ?? hi);
  }
  const pad = (hi - lo || 1) * 0.1;
  const y = (v: number) => h - ((v - lo + pad) / (hi - lo + 2 * pad)) * h;
  const x = (i: number) => (i / Math.max(n - 1, 1)) * w;
  ctx.clearRect(0, 0, w, h);
  const back = tacho.slope === "falling" ? tacho.hysteresis : -tacho.hysteresis;
  const [a, b] = [y(tacho.threshold), y(tacho.threshold + back)];
  ctx.fillStyle = colour("magenta");
  ctx.globalAlpha = 0.12;
  ctx.fillRect(0, Math.min(a, b), w, Math.abs(b - a));
  ctx.globalAlpha = 1;
  ctx.strokeStyle = colour("magenta");
  ctx.lineWidth = 1.25;
  ctx.setLineDash([]);
  line(ctx, 0, a, w, a);
  ctx.setLineDash([3, 3]);
  line(ctx, 0, b, w, b);
  ctx.setLineDash([]);
  ctx.strokeStyle = colour("ink");
  ctx.beginPath();
  for (let i = 0; i < n; i++) {
    ctx.lineTo(x(i), y(low[i] ?? 0));
    ctx.lineTo(x(i), y(high[i] ?? 0));
  }
  ctx.stroke();
}

function line(ctx: CanvasRenderingContext2D, x0: number, y0: number, x1: number, y1: number) {
  ctx.beginPath();
  ctx.moveTo(x0, y0);
  ctx.lineTo(x1, y1);
  ctx.stroke();
}
