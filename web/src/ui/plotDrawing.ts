/** What is drawn and written over a plot: marks, the pin, the values under the crosshair. */
import type uPlot from "uplot";
import { digits } from "./format";
import type { Curve, Mark, Range } from "./plotTypes";
import { colour, traceColour } from "./traces";

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
