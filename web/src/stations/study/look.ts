/** A look at a run, and how an address says it. */
import * as v from "valibot";
import type { RunDetail } from "../../api/client";
import type { Range } from "../../ui/plot/Plot";

export const range = v.tuple([v.number(), v.number()]);

/** Cursors as an address or this browser keeps them; what is left out is as at the beginning. */
export const cursors = v.object({
  tool: v.picklist(["peak", "harmonics", "sidebands", "band"]),
  /** Pinned peaks; each belongs to the channel and the lens it was pinned on. */
  peaks: v.array(
    v.object({ name: v.string(), hz: v.number(), ch: v.optional(v.number()), lens: v.optional(v.string()) }),
  ),
  harmonics: v.nullable(v.object({ base_hz: v.number(), count: v.number() })),
  sidebands: v.nullable(v.object({ center_hz: v.number(), spacing_hz: v.number(), count: v.number() })),
  band: v.nullable(range),
  /** How many of the highest peaks are listed; none where 0. */
  highest: v.number(),
  /** Elements of the machine whose lines are shown, and how many multiples of each. */
  elements: v.array(v.string()),
  multiples: v.number(),
});

/** What is set on spectra. */
export type Cursors = v.InferOutput<typeof cursors>;

/** A stretch that is kept under a letter. */
export type KeptBracket = { name: string; range: Range };

export type Look = {
  channels: number[];
  bracket: Range | null;
  /** Stretches kept, so that lenses can look at several at once. */
  kept: KeptBracket[];
  /** Shown stretch of every kind of axis but time, which is the bracket: lenses share it. */
  shown: Record<string, Range | null>;
  cursors: Cursors;
};

export const noCursors: Cursors = {
  tool: "peak",
  peaks: [],
  harmonics: null,
  sidebands: null,
  band: null,
  highest: 0,
  elements: [],
  multiples: 3,
};

/** What is looked at first: two channels of one unit, all of it, up to where it is free of aliases. */
export function lookOf(run: RunDetail): Look {
  const first = run.channels[0];
  const alike = run.channels.filter((c) => c.recorded.unit === first?.recorded.unit);
  return {
    channels: alike.slice(0, 2).map((c) => c.channel),
    bracket: null,
    kept: [],
    shown: { frequency: [0, run.sample_rate_hz * run.clean_share] },
    cursors: noCursors,
  };
}

const short = (x: number) => String(Number(x.toPrecision(9)));
const told = ([a, b]: Range) => `${short(a)}_${short(b)}`;

function heard(text: string | null): Range | undefined {
  const [a, b, more] = (text ?? "").split("_").map((t) => (t === "" ? Number.NaN : Number(t)));
  return a !== undefined && b !== undefined && more === undefined && a < b ? [a, b] : undefined;
}

const AXIS = "z.";

/** The search part of an address with a look in it; what else stands there stays. */
export function intoAddress(search: string, look: Look): string {
  const params = new URLSearchParams(search);
  const put = (key: string, value: string | undefined) => (value ? params.set(key, value) : params.delete(key));
  put("ch", look.channels.join(","));
  put("b", look.bracket ? told(look.bracket) : undefined);
  put("kept", look.kept.map((k) => `${k.name}:${told(k.range)}`).join(","));
  for (const key of [...params.keys()]) if (key.startsWith(AXIS)) params.delete(key);
  for (const [axis, shown] of Object.entries(look.shown)) if (shown) params.set(AXIS + axis, told(shown));
  const own = Object.entries(look.cursors).filter(
    ([k, x]) => JSON.stringify(x) !== JSON.stringify(noCursors[k as keyof Cursors]),
  );
  put("cur", own.length ? JSON.stringify(Object.fromEntries(own)) : undefined);
  const text = params.toString();
  return text && `?${text}`;
}

/** The bracket that an address tells. */
export const bracketOf = (search: string) => heard(new URLSearchParams(search).get("b"));

/** What of a look an address says; what it says wrongly is left out. */
export function ofAddress(search: string, first: Look): Partial<Look> {
  const params = new URLSearchParams(search);
  const look: Partial<Look> = {};
  const channels = (params.get("ch") ?? "").split(",").map(Number);
  if (channels.every((c) => Number.isInteger(c) && c > 0)) look.channels = channels;
  const axes = [...params].filter(([k]) => k.startsWith(AXIS));
  // An address that says anything of a look says all of it.
  const says = look.channels !== undefined || params.has("b") || axes.length > 0;
  if (!says) return look;
  look.bracket = heard(params.get("b")) ?? null;
  const kept = (params.get("kept") ?? "").split(",").flatMap((text) => {
    const [name = "", stretch = ""] = text.split(":");
    const range = heard(stretch);
    return name && range ? [{ name, range }] : [];
  });
  look.kept = kept;
  const shown = axes.flatMap(([k, text]) => {
    const range = heard(text);
    return range ? [[k.slice(AXIS.length), range] as const] : [];
  });
  look.shown = { ...first.shown, ...Object.fromEntries(shown) };
  look.cursors = noCursors;
  try {
    const set = v.safeParse(v.partial(cursors), JSON.parse(params.get("cur") ?? "{}"));
    if (set.success) look.cursors = { ...noCursors, ...(set.output as Partial<Cursors>) };
  } catch {
    // Not JSON: an address cut off in a mail.
  }
  return look;
}
