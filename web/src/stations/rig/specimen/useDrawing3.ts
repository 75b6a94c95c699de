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

export function useDrawing3(shown: Shown) {
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
    return () => {
      watch.disconnect();
      made.dispose();
    };
  }, []);
  useEffect(() => drawing.current?.show(shown), [shown]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: other colours are drawn anew
  useEffect(() => drawing.current?.repaint(), [theme]);
  return { gl, over, drawing, flat };
}
