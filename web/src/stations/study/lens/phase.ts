/** Angles of complex curves: turned, running on, left out where they say nothing. */
import type { Analysis } from "../../../api/client";
import type { PanelLook } from "../bench";

type Trace = Analysis["traces"][number];

/** The coherence that belongs to a response, where the result has one. */
export function coherenceOf(t: Trace, all: Trace[]): number[] | undefined {
  const own = all.find((o) => !o.re && o.channel === t.channel && o.quantity.includes("coherence"));
  return own?.values ?? all.find((o) => !o.re && o.quantity.includes("coherence"))?.values;
}

/** Phase in degrees: between −180 and 180, or running on from one point to the next. */
export function phases(t: Trace, look: PanelLook, coherence?: number[]): number[] {
  const turn = look.turn ?? 0;
  const size = (t.re ?? []).map((re, i) => Math.hypot(re, t.im?.[i] ?? 0));
  const largest = size.reduce((a, b) => Math.max(a, b), 0);
  const least = look.phase_from ?? 0;
  const worth = (i: number) => (coherence ? (coherence[i] ?? 0) >= least : (size[i] ?? 0) >= least * largest);
  let before: number | undefined;
  return (t.re ?? []).map((re, i) => {
    const deg = (Math.atan2(t.im?.[i] ?? 0, re) * 180) / Math.PI + turn;
    if (!Number.isFinite(deg) || (least > 0 && !worth(i))) return Number.NaN;
    const from = look.unwrapped ? (before ?? 0) : 0;
    const turned = deg - 360 * Math.round((deg - from) / 360);
    before = turned;
    return turned;
  });
}

/** Real or imaginary part, turned. */
export function part(t: Trace, of: "re" | "im", turn: number): number[] {
  const [c, s] = [Math.cos((turn * Math.PI) / 180), Math.sin((turn * Math.PI) / 180)];
  return (t.re ?? []).map((re, i) => {
    const im = t.im?.[i] ?? 0;
    return of === "re" ? c * re - s * im : s * re + c * im;
  });
}
