/** A canvas that keeps the size of its box and the sharpness of its screen. */
import { type RefObject, useEffect } from "react";
import { useTheme } from "./theme";
import { colour } from "./traces";

export function useCanvas(canvas: RefObject<HTMLCanvasElement | null>, onSize?: () => void) {
  const theme = useTheme();
  // biome-ignore lint/correctness/useExhaustiveDependencies: other colours are drawn anew
  useEffect(() => {
    const el = canvas.current;
    const box = el?.parentElement;
    if (!el || !box) return;
    const fit = () => {
      const ratio = window.devicePixelRatio || 1;
      el.width = Math.max(box.clientWidth * ratio, 1);
      el.height = Math.max(box.clientHeight * ratio, 1);
      onSize?.();
    };
    const watch = new ResizeObserver(fit);
    watch.observe(box);
    return () => watch.disconnect();
  }, [canvas, onSize, theme]);
}

/** A canvas's means of drawing, in CSS pixels. */
export function pen(el: HTMLCanvasElement) {
  const ctx = el.getContext("2d");
  if (!ctx) return undefined;
  const ratio = window.devicePixelRatio || 1;
  ctx.setTransform(ratio, 0, 0, ratio, 0, 0);
  return { ctx, w: el.width / ratio, h: el.height / ratio };
}

/** Two circles and a cross around the middle: the dial of an orbit. */
export function dial(ctx: CanvasRenderingContext2D, w: number, h: number, r: number) {
  ctx.strokeStyle = colour("graticule");
  ctx.lineWidth = 1;
  for (const k of [0.5, 1]) {
    ctx.beginPath();
    ctx.arc(w / 2, h / 2, k * r, 0, 7);
    ctx.stroke();
  }
  ctx.beginPath();
  ctx.moveTo(w / 2 - r, h / 2);
  ctx.lineTo(w / 2 + r, h / 2);
  ctx.moveTo(w / 2, h / 2 - r);
  ctx.lineTo(w / 2, h / 2 + r);
  ctx.stroke();
}

/** The next of 1, 2, 5 and their tens. */
export function roundUp(x: number): number {
  const tens = 10 ** Math.floor(Math.log10(x));
  return ([1, 2, 5, 10].find((k) => k * tens >= x) ?? 10) * tens;
}
