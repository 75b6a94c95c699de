/** The specimen drawn: turned, zoomed, picked on. Drag turns, with the right button or Ctrl it shifts, the wheel zooms;
 * arrows turn, + and − zoom, F fits, 1 to 4 look from other sides, N shows the names. */
import { type KeyboardEvent, type PointerEvent, useCallback, useMemo, useRef, useState } from "react";
import { Button } from "../../../ui/Button";
import { type Shown, views } from "./scene";
import type { Geometry } from "./tables";
import { bodyOf, useDrawing3 } from "./useDrawing3";

type Sensor = { row: number; way?: number[] | null };

type Props = {
  geometry: Geometry;
  sensors: Sensor[];
  surface: Float32Array | undefined;
  selected: number[];
  /** A click makes a point where it hits the surface. */
  placing: boolean;
  onPick: (row: number, more: boolean) => void;
  onPlace: (at: [number, number, number]) => void;
};

const STEP = 7.5;

export function Drawing({ geometry, sensors, surface, selected, placing, onPick, onPlace }: Props) {
  const pressed = useRef<{ x: number; y: number }>(undefined);
  const [numbers, setNumbers] = useState(true);
  const body = useMemo(() => bodyOf(geometry), [geometry]);
  const shown = useMemo<Shown>(
    () => ({
      ...body,
      surface,
      selected,
      numbers,
      sensors: sensors.flatMap((s) => (s.way ? [{ row: s.row, way: s.way as [number, number, number] }] : [])),
    }),
    [body, surface, selected, numbers, sensors],
  );
  const { gl, over, drawing, flat } = useDrawing3(shown);

  const click = (e: PointerEvent) => {
    const from = pressed.current;
    pressed.current = undefined;
    const el = over.current?.getBoundingClientRect();
    if (!from || !el || e.button !== 0 || Math.hypot(e.clientX - from.x, e.clientY - from.y) > 4) return;
    const [x, y] = [e.clientX - el.left, e.clientY - el.top];
    if (placing) {
      const at = drawing.current?.hit(x, y);
      if (at) onPlace(at);
      return;
    }
    const row = drawing.current?.pick(x, y);
    if (row !== undefined) onPick(row, e.shiftKey || e.ctrlKey || e.metaKey);
  };
  const key = (e: KeyboardEvent) => {
    const d = drawing.current;
    if (!d || e.ctrlKey || e.metaKey || e.altKey) return;
    const turns: Record<string, [number, number]> = {
      ArrowLeft: [-STEP, 0],
      ArrowRight: [STEP, 0],
      ArrowUp: [0, STEP],
      ArrowDown: [0, -STEP],
    };
    const turn = turns[e.key];
    const view = views[e.key];
    if (turn) d.turn(...turn);
    else if (view) d.fit(view.from);
    else if (e.key === "+" || e.key === "=") d.zoom(1.25);
    else if (e.key === "-") d.zoom(0.8);
    else if (e.key.toLowerCase() === "f") d.fit();
    else if (e.key.toLowerCase() === "n") setNumbers((n) => !n);
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  const look = useCallback((k: string) => drawing.current?.fit(views[k]?.from), [drawing]);
  const says = `${body.places.length} points, ${body.lines.length} lines, ${body.faces.length} faces, ${sensors.length} channels`;
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <div
        className="relative min-h-0 flex-1"
        role="application"
        aria-label={`Drawing of the specimen: ${says}. Arrows turn, plus and minus zoom, F fits, 1 to 4 look from other sides.`}
        // biome-ignore lint/a11y/noNoninteractiveTabindex: its keys act where the focus is
        tabIndex={0}
        onKeyDown={key}
        onPointerDown={(e) => {
          pressed.current = { x: e.clientX, y: e.clientY };
        }}
        onPointerUp={click}
      >
        <canvas ref={gl} className="absolute inset-0 h-full w-full" data-drawing />
        <canvas
          ref={over}
          className={`absolute inset-0 h-full w-full touch-none ${placing ? "cursor-crosshair" : ""}`}
        />
        {flat && (
          <p className="absolute inset-0 grid place-items-center bg-sheet p-8 text-center text-soft">
            This browser does not draw in three dimensions (WebGL is off). The tables work without it.
          </p>
        )}
      </div>
      <div className="flex items-center gap-4 border-t border-rule px-3 py-1 text-[13px]">
        {Object.entries(views).map(([k, v]) => (
          <Button key={k} look="link" hint={k} className="text-[13px]" onClick={() => look(k)}>
            {v.says}
          </Button>
        ))}
        <Button look="link" hint="F" className="text-[13px]" onClick={() => drawing.current?.fit()}>
          fit
        </Button>
        <label className="ml-auto flex items-center gap-1">
          <input type="checkbox" checked={numbers} onChange={(e) => setNumbers(e.target.checked)} />
          names
        </label>
      </div>
    </div>
  );
}
