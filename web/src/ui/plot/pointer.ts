/** Mouse, pen, fingers and keys on a plot: what is dragged, zoomed, read and pinned. */
import type uPlot from "uplot";
import { crosshair } from "./crosshair";
import type { Mark, Range } from "./types";

export type Acts = {
  /** Name of the axis, by which other plots share the crosshair. */
  axis: string;
  marks: Mark[];
  onZoom: ((to: Range) => void) | undefined;
  onBack: (() => void) | undefined;
  onBracket: ((to: Range) => void) | undefined;
  onPoint: ((x: number, perPixel: number) => void) | undefined;
};

/** Pixels a pointer may move and still click, and how near it takes hold of a mark: a finger is thicker. */
const STILL = 3;
const REACH = { mouse: 6, pen: 10, touch: 18 } as const;

export function follow(u: uPlot, el: HTMLElement, acts: () => Acts): () => void {
  const over = u.over;
  over.style.touchAction = "none";
  const across = (e: { clientX: number }) => e.clientX - over.getBoundingClientRect().left;
  const at = (left: number) => u.posToVal(left, "x");
  const perPixel = (left: number) => Math.abs(at(left + 1) - at(left));
  const shown = (): Range | undefined => {
    const { min, max } = u.scales.x ?? {};
    return min == null || max == null ? undefined : [min, max];
  };
  // Where nothing else is read at a place, it is pinned.
  const take = (left: number) => {
    const { onPoint, axis } = acts();
    if (onPoint) onPoint(at(left), perPixel(left));
    else crosshair.pin(axis, at(left), 6 * perPixel(left));
  };

  let pressed: { id: number; from: number; shift: boolean; held: Mark | undefined } | undefined;
  // A second finger: the places on the axis that both hold.
  const fingers = new Map<number, number>();
  let pinch: { values: Range; ids: [number, number] } | undefined;
  const clear = () => u.setSelect({ left: 0, width: 0, top: 0, height: 0 }, false);
  const down = (e: PointerEvent) => {
    if (e.button !== 0) return;
    over.setPointerCapture(e.pointerId);
    if (e.pointerType === "touch") fingers.set(e.pointerId, across(e));
    if (fingers.size === 2) {
      const [a, b] = [...fingers.entries()];
      if (a && b) pinch = { values: [at(a[1]), at(b[1])], ids: [a[0], b[0]] };
      pressed = undefined;
      clear();
      return;
    }
    const left = across(e);
    const near = (m: Mark) => Math.abs(u.valToPos(m.x, "x") - left);
    const reach = REACH[(e.pointerType || "mouse") as keyof typeof REACH] ?? REACH.mouse;
    const held = acts()
      .marks.filter((m) => m.onDrag && near(m) < reach)
      .sort((a, b) => near(a) - near(b))[0];
    pressed = { id: e.pointerId, from: left, shift: e.shiftKey, held };
  };
  const move = (e: PointerEvent) => {
    const left = across(e);
    if (fingers.has(e.pointerId)) fingers.set(e.pointerId, left);
    if (pinch) return spread();
    crosshair.put({ [acts().axis]: at(left) });
    if (pressed?.id !== e.pointerId) return;
    if (pressed.held) return pressed.held.onDrag?.(at(left));
    const [a, b] = [Math.min(pressed.from, left), Math.max(pressed.from, left)].map((x) =>
      Math.min(Math.max(x, 0), over.clientWidth),
    ) as Range;
    if (b - a > STILL) u.setSelect({ left: a, width: b - a, top: 0, height: over.clientHeight }, false);
  };
  /** The axis as two fingers hold it: what they took hold of stays under them. */
  const spread = () => {
    const [p, q] = (pinch?.ids ?? []).map((id) => fingers.get(id));
    const [v, w] = pinch?.values ?? [0, 0];
    if (p === undefined || q === undefined || Math.abs(p - q) < 20) return;
    const scale = (w - v) / (q - p);
    if (scale > 0) acts().onZoom?.([v - p * scale, v + (over.clientWidth - p) * scale]);
  };
  const up = (e: PointerEvent) => {
    fingers.delete(e.pointerId);
    if (pinch) {
      if (fingers.size === 0) pinch = undefined;
      return;
    }
    const was = pressed;
    pressed = undefined;
    clear();
    if (was?.id !== e.pointerId || was.held) return;
    const left = across(e);
    if (Math.abs(left - was.from) <= STILL) return take(left);
    const to = [at(Math.min(was.from, left)), at(Math.max(was.from, left))] as Range;
    if (was.shift) acts().onBracket?.(to);
    else acts().onZoom?.(to);
  };
  const leave = (e: PointerEvent) => {
    if (pressed?.id !== e.pointerId) crosshair.put({});
  };
  const lost = (e: PointerEvent) => {
    fingers.delete(e.pointerId);
    if (fingers.size === 0) pinch = undefined;
    if (pressed?.id === e.pointerId) pressed = undefined;
    clear();
  };
  const wheel = (e: WheelEvent) => {
    const range = shown();
    const { onZoom } = acts();
    if (!onZoom || !range) return;
    e.preventDefault();
    const by = e.deltaY < 0 ? 0.8 : 1.25;
    const [left, wide] = [across(e), over.clientWidth];
    // By places on the screen, so that a logarithmic axis is zoomed as it is seen.
    onZoom([at(left - left * by), at(left + (wide - left) * by)]);
  };
  const back = () => acts().onBack?.();
  const keys = (e: KeyboardEvent) => {
    const range = shown();
    if (!range || e.ctrlKey || e.altKey || e.target !== el) return;
    const { axis, onZoom } = acts();
    const [min, max] = range;
    const wide = over.clientWidth;
    const left = u.valToPos(crosshair.at(axis) ?? at(wide / 2), "x");
    const by = { ArrowLeft: -1, ArrowRight: 1 }[e.key];
    const to = (px: number) => crosshair.put({ [axis]: Math.min(Math.max(at(px), min), max) });
    if (by) to(left + by * (e.shiftKey ? 20 : 1));
    else if (e.key === "Home") to(0);
    else if (e.key === "End") to(wide);
    else if (e.key === "Enter") take(left);
    else if (e.key === " ") crosshair.pin(axis, at(left), 6 * perPixel(left));
    else if (e.key === "+" && onZoom) onZoom([at(left - left * 0.7), at(left + (wide - left) * 0.7)]);
    else if ((e.key === "-" || e.key === "Backspace") && acts().onBack) back();
    else if (e.key !== "Escape" || !crosshair.clear()) return;
    e.preventDefault();
    e.stopPropagation();
  };
  over.addEventListener("pointerdown", down);
  over.addEventListener("pointermove", move);
  over.addEventListener("pointerup", up);
  over.addEventListener("pointercancel", lost);
  over.addEventListener("pointerleave", leave);
  over.addEventListener("dblclick", back);
  over.addEventListener("wheel", wheel, { passive: false });
  el.addEventListener("keydown", keys);
  return () => el.removeEventListener("keydown", keys);
}
