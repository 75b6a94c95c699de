/** What is written over the drawing in two dimensions: names of points, rings around those selected, arrows of sensors,
 * and the specimen's directions in the corner. */
import { colour } from "../../../ui/traces";

/** A place on the screen, px, and how far behind it lies, 0 to 1. */
export type Seen = { x: number; y: number; depth: number };

export type Arrow = { at: Seen; tip: Seen };

export type Over = {
  wide: number;
  high: number;
  seen: Seen[];
  names: string[];
  numbers: boolean;
  selected: Set<number>;
  arrows: Arrow[];
  /** The specimen's directions: where they point on the screen, and what they are called. */
  triad: { x: number; y: number; says: string }[];
  /** The state of each point, as a token of colour; “open” for a ring. */
  tones?: string[] | undefined;
};

const CELL = 6;
const LETTER = 6.6;
const HIGH = 13;

/** Which names have room: those selected first, then by their order; one that would lie on another is left out. */
export function roomFor(all: Seen[], names: string[], first: Set<number>, wide: number, high: number): number[] {
  const taken = new Set<number>();
  const across = Math.ceil(wide / CELL) + 1;
  const fits = (i: number) => {
    const at = all[i];
    if (!at || at.x < 0 || at.y < 0 || at.x > wide || at.y > high) return false;
    const [left, right] = [at.x + 5, at.x + 5 + LETTER * (names[i]?.length ?? 0)].map((x) => Math.floor(x / CELL));
    const [top, bottom] = [at.y - HIGH, at.y].map((y) => Math.floor(y / CELL));
    const cells: number[] = [];
    for (let x = left as number; x <= (right as number); x++)
      for (let y = top as number; y <= (bottom as number); y++) cells.push(y * across + x);
    if (cells.some((c) => taken.has(c))) return false;
    for (const c of cells) taken.add(c);
    return true;
  };
  const order = [...first].filter((i) => i < all.length);
  for (let i = 0; i < all.length; i++) if (!first.has(i)) order.push(i);
  return order.filter(fits);
}

/** The point nearest to a place on the screen within a finger's breadth; of two that lie over each other the one in
 * front. */
export function nearest(all: Seen[], x: number, y: number, within = 12): number | undefined {
  let best: { i: number; away: number; depth: number } | undefined;
  for (const [i, s] of all.entries()) {
    const away = Math.hypot(s.x - x, s.y - y);
    if (away > within) continue;
    const same = best && Math.abs(away - best.away) < 2;
    if (!best || (same ? s.depth < best.depth : away < best.away)) best = { i, away, depth: s.depth };
  }
  return best?.i;
}

const FONT = "12px 'Sofia Sans Semi Condensed Variable', sans-serif";

function arrow(ctx: CanvasRenderingContext2D, { at, tip }: Arrow) {
  const angle = Math.atan2(tip.y - at.y, tip.x - at.x);
  ctx.beginPath();
  ctx.moveTo(at.x, at.y);
  ctx.lineTo(tip.x, tip.y);
  ctx.stroke();
  // Seen from its end an arrow is a dot in a ring.
  if (Math.hypot(tip.x - at.x, tip.y - at.y) < 8) {
    ctx.beginPath();
    ctx.arc(at.x, at.y, 6, 0, 7);
    ctx.stroke();
    return;
  }
  ctx.beginPath();
  ctx.moveTo(tip.x, tip.y);
  for (const turn of [0.4, -0.4]) ctx.lineTo(tip.x - 9 * Math.cos(angle + turn), tip.y - 9 * Math.sin(angle + turn));
  ctx.closePath();
  ctx.fill();
}

/** A point by its state: full, a ring, a ring around a full one for the one under way, a cross for a bad one. */
function state(ctx: CanvasRenderingContext2D, { x, y }: Seen, tone: string) {
  ctx.beginPath();
  ctx.arc(x, y, 5, 0, 7);
  ctx.lineWidth = 1.75;
  ctx.strokeStyle = colour(tone === "open" ? "ink" : tone);
  ctx.fillStyle = colour(tone === "open" || tone === "reef" ? "sheet" : tone);
  ctx.fill();
  ctx.stroke();
  if (tone === "harbour") {
    ctx.lineWidth = 4;
    ctx.beginPath();
    ctx.arc(x, y, 11, 0, 7);
    ctx.stroke();
  }
  if (tone === "reef") {
    ctx.beginPath();
    for (const k of [-1, 1]) {
      ctx.moveTo(x - 4, y - 4 * k);
      ctx.lineTo(x + 4, y + 4 * k);
    }
    ctx.stroke();
  }
}

/** Draws it. */
export function write(ctx: CanvasRenderingContext2D, o: Over) {
  ctx.clearRect(0, 0, o.wide, o.high);
  ctx.font = FONT;
  ctx.lineWidth = 1.75;
  ctx.strokeStyle = ctx.fillStyle = colour("harbour");
  for (const a of o.arrows) arrow(ctx, a);
  ctx.lineWidth = 2;
  ctx.strokeStyle = colour("magenta");
  for (const i of o.selected) {
    const s = o.seen[i];
    if (!s) continue;
    ctx.beginPath();
    ctx.arc(s.x, s.y, 7, 0, 7);
    ctx.stroke();
  }
  for (const [i, tone] of (o.tones ?? []).entries()) if (tone && o.seen[i]) state(ctx, o.seen[i], tone);
  ctx.textBaseline = "alphabetic";
  const shown = o.numbers ? roomFor(o.seen, o.names, o.selected, o.wide, o.high) : [...o.selected];
  // Names keep off the lines behind them.
  ctx.lineJoin = "round";
  ctx.lineWidth = 3;
  ctx.strokeStyle = colour("sheet");
  for (const i of shown) {
    const [s, name] = [o.seen[i], o.names[i]];
    if (!s || name === undefined) continue;
    ctx.fillStyle = colour(o.selected.has(i) ? "magenta" : "ink");
    ctx.strokeText(name, s.x + 6, s.y - 4);
    ctx.fillText(name, s.x + 6, s.y - 4);
  }
  const [x, y] = [52, o.high - 46];
  ctx.lineWidth = 1.5;
  ctx.strokeStyle = ctx.fillStyle = colour("ink-soft");
  for (const t of o.triad) {
    arrow(ctx, { at: { x, y, depth: 0 }, tip: { x: x + 26 * t.x, y: y - 26 * t.y, depth: 0 } });
    const [right, down] = [x + 36 * t.x, y - 36 * t.y];
    ctx.textAlign = t.x < -0.3 ? "right" : t.x > 0.3 ? "left" : "center";
    ctx.fillText(t.says, right, down + 4);
  }
  ctx.textAlign = "left";
}
