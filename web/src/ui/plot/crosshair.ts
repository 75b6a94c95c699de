/** Where the crosshair stands on each axis, and where it was pinned: every picture of that axis shows it. */
import { digits, short } from "../format";

export type Places = Record<string, number>;

let places: Places = {};
let pins: Places = {};
const followers = new Set<() => void>();
const tell = () => {
  for (const f of followers) f();
};

export const crosshair = {
  at: (axis: string) => places[axis],
  pinned: (axis: string) => pins[axis],
  /** Puts it at places of some axes; it leaves all others. */
  put(to: Places) {
    places = to;
    tell();
  },
  /** Pins it where it stands; pinned near there already, it is let go. */
  pin(axis: string, at: number, near: number) {
    const held = pins[axis];
    const { [axis]: _, ...rest } = pins;
    pins = held !== undefined && Math.abs(held - at) <= near ? rest : { ...rest, [axis]: at };
    tell();
  },
  clear() {
    if (Object.keys(places).length + Object.keys(pins).length === 0) return false;
    places = {};
    pins = {};
    tell();
    return true;
  },
  follow(f: () => void) {
    followers.add(f);
    return () => {
      followers.delete(f);
    };
  },
};

/** Where it stands in words: the place, and how far from the pin. */
export function whereabouts(axis: string, unit: string): string {
  const [at, pin] = [places[axis], pins[axis]];
  if (at === undefined) return "";
  const here = `${short(at, 6)}\u202f${unit}`.trim();
  if (pin === undefined) return here;
  const off = Math.abs(at - pin);
  const times = axis === "time" && off > 0 ? ` = 1/${digits(1 / off, 4)}\u202fHz` : "";
  return `${here}, ${digits(off, 4)}\u202f${unit}${times} from the pin`;
}
