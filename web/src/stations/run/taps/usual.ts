/** A series as it is usually begun with this rig: what the engineer changes first is the list of points. */
import type { Channel, Schema } from "../../../api/client";
import type { TapPlan } from "../../../api/taps";

const MOTION = ["acceleration", "velocity", "displacement"];

export const hammers = (channels: Channel[]) => channels.filter((c) => c.on && c.quantity === "force");
export const movers = (channels: Channel[]) => channels.filter((c) => c.on && MOTION.includes(c.quantity));

/** Inputs of a block with three axes whose first is this one: names that differ by their last letter. */
function block(all: Channel[], first: Channel): number[] {
  const stem = first.name.slice(0, -1);
  const same = all.filter((c) => c.name.slice(0, -1) === stem && /[xyz]$/i.test(c.name));
  return same.length === 3 ? same.map((c) => c.input) : [first.input];
}

/** What a hit must be, where nothing else is said. */
export const usualLimits: NonNullable<TapPlan["limits"]> = {
  least_n: null,
  most_n: null,
  double_share: 0.1,
  apart_s: 0.002,
  over_share: 0.98,
};

export function usual(channels: Channel[], geometry: Schema["Geometry"] | undefined): TapPlan | undefined {
  const hammer = hammers(channels)[0];
  const all = movers(channels);
  const first = all[0];
  if (!hammer || !first) return undefined;
  const moving = all.length > 1 || hammer.point ? block(all, first) : [];
  const goes = moving.length > 0 ? first : hammer;
  const direction = moving.length > 1 ? "" : goes.direction;
  const points = (geometry?.points ?? []).map((p) => ({ point: p.name, direction }));
  return {
    roving: moving.length > 0 ? "response" : "hammer",
    force: hammer.input,
    moving,
    points: points.length > 0 ? points.slice(0, 2000) : [{ point: goes.point || "1", direction }],
    hits: 5,
    limits: { ...usualLimits, least_n: 50 },
    accept: "next_hit",
    level_n: 20,
    pre_s: 0.005,
    length_s: 0.8,
    band_hz: [40, 700],
    least_coherence: 0.9,
    estimator: "h1",
  };
}

/** A list of points as it is typed: one a line, the direction behind the name. */
export const listed = (points: TapPlan["points"]) => points.map((p) => `${p.point} ${p.direction}`.trim()).join("\n");

/** The same read: the direction is the last word where it is one. */
export function read(text: string): TapPlan["points"] {
  const lines = text.split(/[\n;,]/).map((l) => l.trim());
  return lines
    .filter((l) => l !== "")
    .map((l) => {
      const [, point = l, direction = ""] = /^(.*?)[\s\t]+([+\-−]?[\p{L}]+)$/u.exec(l) ?? [];
      return { point: point.trim(), direction };
    });
}
