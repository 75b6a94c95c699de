/** What is drawn and written over a plot: envelopes, levels, marks, the pin, the values under the crosshair. */
import type uPlot from "uplot";
import { digits, short } from "../format";
import { colour, traceColour } from "../traces";
import type { Curve, Level, Mark, Range } from "./types";

/** Curves whose values are written beside the crosshair at most. */
const MOST_READ = 6;

/** A thin line where the crosshair is pinned. */
export function drawPin(u: uPlot, at: number | undefined) {
  if (at === undefined) return;
  const x = u.valToPos(at, "x", true);
  const { ctx, bbox } = u;
  if (x < bbox.left || x > bbox.left + bbox.width) return;
  ctx.save();
  ctx.strokeStyle = colour("magenta");
  ctx.setLineDash([6 * devicePixelRatio, 3 * devicePixelRatio]);
  ctx.beginPath();
  ctx.moveTo(x, bbox.top);
  ctx.lineTo(x, bbox.top + bbox.height);
  ctx.stroke();
  ctx.restore();
}

/** The values under the crosshair, each in the colour of its curve; an envelope from its low to its high. */
export function readValues(u: uPlot, curves: Curve[], at: number): HTMLElement[] {
  const i = u.valToIdx(at);
  let row = 0;
  return curves.slice(0, MOST_READ).map((c, k) => {
    const next = () => u.data[++row]?.[i];
    const [high, low] = [next(), c.low ? next() : undefined];
    const el = document.createElement("span");
    el.style.color = traceColour(k);
    el.textContent = low === undefined ? digits(high, 4) : `${digits(low, 4)} … ${digits(high, 4)}`;
    return el;
  });
}

/** Envelopes, what spans most first: of two that lie over each other both are to be seen. */
export function drawEnvelopes(u: uPlot, curves: Curve[]) {
  const { ctx, bbox, data } = u;
  const x = data[0];
  const bands: { trace: number; high: uPlot.AlignedData[1]; low: uPlot.AlignedData[1]; spread: number }[] = [];
  let row = 0;
  curves.forEach((c, trace) => {
    const high = data[++row];
    const low = c.low ? data[++row] : undefined;
    if (!high || !low) return;
    let spread = 0;
    for (let i = 0; i < high.length; i++) spread += (high[i] ?? 0) - (low[i] ?? 0);
    bands.push({ trace, high, low, spread });
  });
  if (bands.length === 0) return;
  ctx.save();
  ctx.beginPath();
  ctx.rect(bbox.left, bbox.top, bbox.width, bbox.height);
  ctx.clip();
  ctx.lineJoin = "round";
  ctx.lineWidth = devicePixelRatio;
  for (const b of bands.sort((a, c) => c.spread - a.spread)) {
    const path = new Path2D();
    for (let i = 0; i < x.length; ) {
      // A stretch without a hole: along the highest there, along the lowest back.
      const from = i;
      while (i < x.length && b.high[i] != null && b.low[i] != null) i += 1;
      for (let k = from; k < i; k++) {
        const px = u.valToPos(x[k] ?? 0, "x", true);
        const py = u.valToPos(b.high[k] ?? 0, "y", true);
        if (k === from) path.moveTo(px, py);
        else path.lineTo(px, py);
      }
      for (let k = i - 1; k >= from; k--)
        path.lineTo(u.valToPos(x[k] ?? 0, "x", true), u.valToPos(b.low[k] ?? 0, "y", true));
      if (i > from) path.closePath();
      else i += 1;
    }
    const stroke = traceColour(b.trace);
    ctx.fillStyle = `${stroke}c0`;
    ctx.strokeStyle = stroke;
    ctx.fill(path);
    ctx.stroke(path);
  }
  ctx.restore();
}

/** Levels across the plot, with what they are. */
export function drawLevels(u: uPlot, levels: Level[]) {
  const { ctx, bbox } = u;
  const ratio = devicePixelRatio;
  ctx.save();
  ctx.strokeStyle = colour("reef");
  ctx.fillStyle = colour("reef");
  ctx.font = `${11 * ratio}px "JetBrains Mono Variable"`;
  ctx.textAlign = "right";
  ctx.textBaseline = "bottom";
  ctx.setLineDash([6 * ratio, 4 * ratio]);
  for (const l of levels) {
    const y = u.valToPos(l.at, "y", true);
    if (y < bbox.top || y > bbox.top + bbox.height) continue;
    ctx.beginPath();
    ctx.moveTo(bbox.left, y);
    ctx.lineTo(bbox.left + bbox.width, y);
    ctx.stroke();
    ctx.fillText(`${l.says} ${short(l.at)}`, bbox.left + bbox.width - 4 * ratio, y - 2 * ratio);
  }
  ctx.restore();
}

export function drawMarks(u: uPlot, marks: Mark[], band: Range | undefined) {
  const { ctx, bbox } = u;
  const ratio = devicePixelRatio;
  ctx.save();
  if (band) {
    const [a, b] = band.map((x) => Math.min(Math.max(u.valToPos(x, "x", true), bbox.left), bbox.left + bbox.width));
    ctx.fillStyle = `${colour("magenta")}20`;
    ctx.fillRect(a ?? 0, bbox.top, (b ?? 0) - (a ?? 0), bbox.height);
  }
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
    ctx.setLineDash(m.faint ? [2 * ratio, 3 * ratio] : []);
    ctx.beginPath();
    ctx.moveTo(x, bbox.top + bbox.height);
    ctx.lineTo(x, y);
    // At the right edge a pennant flies to the left, so that its words stay in the picture.
    const left = x + width > bbox.left + bbox.width;
    if (m.faint) {
      ctx.stroke();
      ctx.fillText(m.says, x + 4 * ratio, y + h / 2 + ratio);
      continue;
    }
    const way = left ? -1 : 1;
    ctx.lineTo(x + way * width, y);
    ctx.lineTo(x + way * (width - 5 * ratio), y + h / 2);
    ctx.lineTo(x + way * width, y + h);
    ctx.lineTo(x, y + h);
    ctx.stroke();
    ctx.fillText(m.says, left ? x - width + 10 * ratio : x + 4 * ratio, y + h / 2 + ratio);
  }
  ctx.restore();
}
