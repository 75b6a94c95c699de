/** Colours of maps: every step is darker than the last, so that they read in grey and to the colour-blind. */
import { themeNow } from "./theme";

type Rgb = [number, number, number];

const maps: Record<string, Rgb[]> = {
  // From paper to ink by way of the harbour's green.
  tide: [
    [255, 253, 248],
    [221, 235, 240],
    [128, 178, 186],
    [11, 107, 107],
    [16, 38, 59],
  ],
  ember: [
    [255, 253, 248],
    [247, 222, 178],
    [222, 150, 92],
    [158, 66, 46],
    [58, 18, 32],
  ],
  grey: [
    [255, 255, 255],
    [20, 20, 20],
  ],
};

/** The colour of a share from 0 to 1. */
export function shade(share: number, map = "tide"): Rgb {
  const day = maps[map] ?? maps.tide ?? [];
  // What is low looks like the ground it lies on.
  const stops = themeNow() === "night" ? [...day].reverse() : day;
  const at = Math.min(Math.max(share, 0), 1) * (stops.length - 1);
  const [a, b] = [stops[Math.floor(at)], stops[Math.ceil(at)]];
  if (!a || !b) return [0, 0, 0];
  const t = at - Math.floor(at);
  return [0, 1, 2].map((k) => (a[k] ?? 0) * (1 - t) + (b[k] ?? 0) * t) as Rgb;
}
