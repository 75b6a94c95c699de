/** Where a shape puts the points of a geometry at a moment of its turn. */
import type { Schema } from "../../../api/client";

type How = {
  /** How far the turn is, radians: complex shapes run through it as waves. */
  angle: number;
  /** How large the shape is drawn; at 1 the largest point moves by an eighth of the structure's extent. */
  size: number;
  /** Points that were not measured stay where they are. */
  still: boolean;
};

const SHARE = 0.125;

/** How far the structure reaches. */
export function reach(geometry: Schema["Geometry"]): number {
  const points = geometry.points ?? [];
  const spread = (of: (p: (typeof points)[number]) => number) => {
    const all = points.map(of);
    return Math.max(...all) - Math.min(...all);
  };
  return points.length === 0
    ? 1
    : Math.max(
        Math.hypot(
          spread((p) => p.x),
          spread((p) => p.y),
          spread((p) => p.z),
        ),
        1e-9,
      );
}

/** Places in turn, x, y, z, and how far each point goes at its farthest, 0 to 1. */
export function places(
  geometry: Schema["Geometry"],
  motion: Schema["Motion"],
  { angle, size, still }: How,
): { at: Float32Array; far: Float32Array } {
  const points = geometry.points ?? [];
  const at = new Float32Array(3 * points.length);
  const far = new Float32Array(points.length);
  const scale = SHARE * size * reach(geometry);
  const [cos, sin] = [Math.cos(angle), Math.sin(angle)];
  for (const [i, p] of points.entries()) {
    const m = still && !motion.measured[i] ? undefined : motion.moves[i];
    for (const [k, rest] of [p.x, p.y, p.z].entries()) {
      const [re, im] = [m?.[k] ?? 0, m?.[k + 3] ?? 0];
      // The real part of the shape times a turning pointer.
      at[3 * i + k] = rest + scale * (re * cos - im * sin);
      far[i] = (far[i] as number) + re * re + im * im;
    }
    far[i] = Math.min(Math.sqrt(far[i] as number), 1);
  }
  return { at, far };
}

/** How every point moves through a stretch of time: a frame at each of these seconds. */
export type Course = {
  seconds: ArrayLike<number>;
  /** Three numbers a point, frame after frame; the largest motion of all is 1. */
  moves: Float32Array;
  measured: boolean[];
};

/** Places in turn at a frame of a course, and how far each point is from where it rests, 0 to 1. */
export function placesAt(
  geometry: Schema["Geometry"],
  course: Course,
  frame: number,
  { size, still }: Omit<How, "angle">,
): { at: Float32Array; far: Float32Array } {
  const points = geometry.points ?? [];
  const at = new Float32Array(3 * points.length);
  const far = new Float32Array(points.length);
  const scale = SHARE * size * reach(geometry);
  const from = 3 * points.length * frame;
  for (const [i, p] of points.entries()) {
    const moves = !still || course.measured[i];
    for (const [k, rest] of [p.x, p.y, p.z].entries()) {
      const x = moves ? (course.moves[from + 3 * i + k] ?? 0) : 0;
      at[3 * i + k] = rest + scale * x;
      far[i] = (far[i] as number) + x * x;
    }
    far[i] = Math.min(Math.sqrt(far[i] as number), 1);
  }
  return { at, far };
}
