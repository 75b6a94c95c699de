/** The specimen drawn to be looked at: points by their state, and a shape that moves it. */
import { type Ref, useImperativeHandle, useMemo } from "react";
import { type Shown, views } from "./scene";
import type { Geometry } from "./tables";
import { bodyOf, useDrawing3 } from "./useDrawing3";

export type PictureHandle = {
  /** Moves every point: places in turn, x, y, z; and how far each goes, 0 to 1, as colour. */
  move: (places: Float32Array, far: Float32Array | undefined) => void;
  /** The picture as it is. */
  canvas: () => HTMLCanvasElement | undefined;
};

type Props = {
  geometry: Geometry;
  tones?: string[];
  label: string;
  /** Draws the structure at rest behind what moves. */
  behind?: boolean;
  arrows?: boolean;
  names?: boolean;
  /** Pictures of one view are turned together, and stand as they were left. */
  view?: string;
  handle?: Ref<PictureHandle>;
};

export function Picture({ geometry, tones, label, behind = false, arrows = false, names = true, view, handle }: Props) {
  const body = useMemo(() => bodyOf(geometry), [geometry]);
  const shown = useMemo<Shown>(
    () => ({
      ...body,
      surface: undefined,
      sensors: [],
      selected: [],
      numbers: names,
      behind,
      arrows,
      ...(tones ? { tones } : {}),
    }),
    [body, tones, behind, arrows, names],
  );
  const { gl, over, drawing, flat } = useDrawing3(shown, view);
  useImperativeHandle(handle, () => ({
    move: (places, far) => drawing.current?.move(places, far),
    canvas: () => gl.current ?? undefined,
  }));
  return (
    <div
      className="relative min-h-0 min-w-0 flex-1"
      role="application"
      aria-label={`${label}. Drag turns, the wheel zooms, 1 to 4 look from other sides.`}
      // biome-ignore lint/a11y/noNoninteractiveTabindex: its keys act where the focus is
      tabIndex={0}
      onKeyDown={(e) => {
        const view = views[e.key];
        if (!view && e.key.toLowerCase() !== "f") return;
        drawing.current?.fit(view?.from);
        e.preventDefault();
        e.stopPropagation();
      }}
    >
      <canvas ref={gl} className="absolute inset-0 h-full w-full" data-drawing />
      <canvas ref={over} className="absolute inset-0 h-full w-full touch-none" />
      {flat && (
        <p className="absolute inset-0 grid place-items-center p-8 text-center text-soft">
          This browser does not draw in three dimensions (WebGL is off).
        </p>
      )}
    </div>
  );
}
