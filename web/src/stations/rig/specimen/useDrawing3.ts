/** A drawing of the specimen on its two canvases: made once, shown anew with what is shown, in the colours in force. */
import { useEffect, useRef, useState } from "react";
import { useTheme } from "../../../ui/theme";
import { Drawing3, type Shown } from "./scene";
import { directionsOf, type Geometry } from "./tables";

/** A geometry as it is drawn: lines and faces by the rows of their points. */
export function bodyOf(geometry: Geometry) {
  const points = geometry.points ?? [];
  const at = new Map(points.map((p, i) => [p.name, i]));
  const rows = (parts: string[][] | undefined) => (parts ?? []).map((l) => l.map((n) => at.get(n) ?? 0));
  return {
    names: points.map((p) => p.name),
    places: points.map((p): [number, number, number] => [p.x, p.y, p.z]),
    lines: rows(geometry.lines),
    faces: rows(geometry.faces),
    directions: directionsOf(geometry),
  };
}

/** Told to all pictures of a view when one of them is turned. */
const TURNED = "picture-turned";

/** Pictures of one view are looked at from the same side, also the next time. */
function together(made: Drawing3, view: string): () => void {
  const kept = sessionStorage.getItem(view);
  if (kept) made.standAt(JSON.parse(kept) as number[]);
  made.onTurned(() => {
    sessionStorage.setItem(view, JSON.stringify(made.stand()));
    window.dispatchEvent(new CustomEvent(TURNED, { detail: view }));
  });
  const follow = (e: Event) => {
    const now = sessionStorage.getItem(view);
    if ((e as CustomEvent).detail === view && now) made.standAt(JSON.parse(now) as number[]);
  };
  window.addEventListener(TURNED, follow);
  return () => window.removeEventListener(TURNED, follow);
}

export function useDrawing3(shown: Shown, view?: string) {
  const gl = useRef<HTMLCanvasElement>(null);
  const over = useRef<HTMLCanvasElement>(null);
  const drawing = useRef<Drawing3>(undefined);
  // Whether this browser does not draw in three dimensions.
  const [flat, setFlat] = useState(false);
  const theme = useTheme();
  const latest = useRef(shown);
  latest.current = shown;
  useEffect(() => {
    if (!gl.current || !over.current) return;
    let made: Drawing3;
    try {
      made = new Drawing3(gl.current, over.current);
    } catch {
      return setFlat(true);
    }
    drawing.current = made;
    made.show(latest.current);
    const watch = new ResizeObserver(() => made.size());
    watch.observe(over.current);
    const alone = view ? together(made, view) : undefined;
    return () => {
      alone?.();
      watch.disconnect();
      made.dispose();
    };
  }, [view]);
  useEffect(() => drawing.current?.show(shown), [shown]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: other colours are drawn anew
  useEffect(() => drawing.current?.repaint(), [theme]);
  return { gl, over, drawing, flat };
}
