/** A plot as a sentence, for whoever does not see it. */
import { digits } from "../format";
import type { Curve } from "./types";

/** Curves that are told one by one at most. */
const MOST = 8;

/** Name and unit of an axis as it is written beside it. */
const named = (label: string): [string, string] => {
  const [name = "", ...unit] = label.split(", ");
  return [name, unit.join(", ")];
};

const withUnit = (x: number, unit: string) => `${digits(x, 4)} ${unit}`.trim();

export function sentence(label: string, x: ArrayLike<number>, curves: Curve[], xLabel: string, yLabel: string): string {
  const n = x.length;
  if (n === 0 || curves.length === 0) return `${label}: nothing is drawn yet`;
  const [xName, xUnit] = named(xLabel);
  const [yName, yUnit] = named(yLabel);
  const over = `${yName || "curves"} over ${xName} from ${digits(x[0], 4)} to ${withUnit(x[n - 1] ?? 0, xUnit)}`;
  const told = curves.slice(0, MOST).map((c) => {
    let [most, least] = [-1, -1];
    for (let i = 0; i < n; i++) {
      const [high, low] = [c.high[i] ?? Number.NaN, (c.low ?? c.high)[i] ?? Number.NaN];
      if (Number.isFinite(high) && !(high <= (c.high[most] ?? Number.NEGATIVE_INFINITY))) most = i;
      if (Number.isFinite(low) && !(low >= ((c.low ?? c.high)[least] ?? Number.POSITIVE_INFINITY))) least = i;
    }
    if (most < 0 || least < 0) return `${c.name} has no values`;
    const high = `highest ${withUnit(c.high[most] ?? 0, yUnit)} at ${withUnit(x[most] ?? 0, xUnit)}`;
    const low = `lowest ${withUnit((c.low ?? c.high)[least] ?? 0, yUnit)} at ${withUnit(x[least] ?? 0, xUnit)}`;
    return `${c.name}: ${high}, ${low}`;
  });
  const more = curves.length > MOST ? [`and ${curves.length - MOST} more`] : [];
  return `${label}: ${[over, ...told, ...more].join("; ")}`;
}
