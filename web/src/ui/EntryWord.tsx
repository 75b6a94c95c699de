/** Words of a sentence that are quantities: one number, a range, a list; with a unit or without, as they are typed. */
import { type Asked, readEntry } from "./entry";
import { plain } from "./format";
import { TypedWord } from "./Word";

type Common = {
  label: string;
  /** How a refusal names it; the label in lower case unless told. */
  what?: string | undefined;
  unit?: string | undefined;
  /** Smallest and largest, or what it must be above. */
  low?: number | undefined;
  above?: number | undefined;
  high?: number | undefined;
  width?: string | undefined;
  right?: boolean | undefined;
};

/** With a word for no number, nothing is set by it; without one there is always a number. */
type Set<T> =
  | { none?: undefined; value: T; onSet: (to: T) => unknown }
  | { none: string; value: T | null | undefined; onSet: (to: T | undefined) => unknown };

const asked = (p: Common & { none?: string | undefined }, more: Partial<Asked>): Asked => ({
  what: p.what ?? `the ${p.label.charAt(0).toLowerCase()}${p.label.slice(1)}`,
  unit: p.unit ?? "",
  low: p.low ?? null,
  above: p.above ?? null,
  high: p.high ?? null,
  words: p.none ? [p.none] : [],
  ...more,
});

const withUnit = (text: string, unit: string | undefined) =>
  unit === "°" ? `${text}°` : `${text} ${unit ?? ""}`.trim();

/** One number. */
export function NumberWord(p: Common & Set<number> & { whole?: boolean; show?: (value: number) => string }) {
  const set = p.onSet as (to: number | undefined) => unknown;
  const shown = p.show ?? ((x: number) => withUnit(plain(x), p.unit));
  return (
    <TypedWord
      label={p.label}
      value={p.value === null || p.value === undefined ? (p.none ?? "") : shown(p.value)}
      width={p.width}
      right={p.right}
      onSet={async (text) => set((await readEntry(text, asked(p, { whole: p.whole ?? false }))).values[0])}
    />
  );
}

/** Two numbers, the lower first. */
export function RangeWord(p: Common & Set<[number, number]> & { show?: (value: [number, number]) => string }) {
  const set = p.onSet as (to: [number, number] | undefined) => unknown;
  const shown = p.show ?? (([a, b]: [number, number]) => withUnit(`${plain(a)} to ${plain(b)}`, p.unit));
  const value = p.value ? shown(p.value) : (p.none ?? "");
  return (
    <TypedWord
      label={p.label}
      value={value}
      width={p.width ?? `${value.length + 2}ch`}
      right={p.right}
      onSet={async (text) => {
        const [a, b] = (await readEntry(text, asked(p, { shape: "range" }))).values;
        return set(a === undefined || b === undefined ? undefined : [a, b]);
      }}
    />
  );
}

/** One number or more. */
export function ListWord(p: Common & Set<number[]>) {
  const set = p.onSet as (to: number[] | undefined) => unknown;
  return (
    <TypedWord
      label={p.label}
      value={p.value?.length ? withUnit(p.value.map(plain).join(", "), p.unit) : (p.none ?? "")}
      width={p.width}
      right={p.right}
      onSet={async (text) => {
        const { values } = await readEntry(text, asked(p, { shape: "list" }));
        return set(values.length ? values : undefined);
      }}
    />
  );
}
