/** Every lens: its name, what a new one looks at, and its settings as a sentence. */
import type { Analysis, RunDetail, Schema } from "../../../api/client";
import { rate, signed, withUnit } from "../../../ui/format";
import {
  along,
  averaging,
  blocks,
  confidence,
  cut,
  edges,
  type Field,
  ofTakes,
  oneOf,
  options,
  type Parts,
  places,
  type Recipe,
  reference,
  scaling,
  step,
  sweep,
  tacho,
  turning,
  unit,
} from "./fields";

export type { Field, Parts, Recipe } from "./fields";

export type LensKind = {
  lens: string;
  says: string;
  fresh: (run: RunDetail, markers: Schema["MarkersBody"] | undefined) => Recipe;
  sentence: Parts | ((recipe: Recipe) => Parts);
  /** A recipe after a change, with what the change asks for besides; `was` is the one before. */
  completed?: (recipe: Recipe, was: Recipe, run: RunDetail, markers: Schema["MarkersBody"] | undefined) => Recipe;
  /** What the sentence adds from the result. */
  follows?: (run: RunDetail, recipe: Recipe, result: Analysis | undefined) => string;
  scale?: "linear" | "log";
  logX?: boolean;
  /** Whether a value holds until the next. */
  steps?: boolean;
  /** Whether it can be shown in another unit. */
  unit?: boolean;
};

const widthHz: Field = {
  key: "bandwidth_hz",
  label: "Width in hertz",
  as: "number",
  none: "in orders",
};

export const lenses: LensKind[] = [
  {
    lens: "waveform",
    says: "Waveform",
    fresh: () => ({ lens: "waveform" }),
    sentence: [],
  },
  {
    lens: "spectrum",
    says: "Spectrum",
    scale: "log",
    unit: true,
    fresh: (run) => ({ lens: "spectrum", ...cut(run), averaging: "linear", scaling: "peak" }),
    sentence: [...blocks, ", ", ofTakes, ", ", averaging, ", ", confidence, ", ", scaling, " in ", unit],
    follows: (run, recipe, result) =>
      `lines ${withUnit(run.sample_rate_hz / Number(recipe.block ?? 4096), "Hz", 3)} apart, alias-free to ${rate(
        run.sample_rate_hz * run.clean_share,
      )}${result?.averages ? `, ${result.averages} averages` : ""}${
        result?.interval
          ? `, true power ${signed(result.interval.low_db)} to ${signed(result.interval.high_db)} dB of it`
          : ""
      }`,
  },
  {
    lens: "envelope",
    says: "Envelope",
    scale: "log",
    fresh: (run) => {
      const top = run.sample_rate_hz * run.clean_share;
      return {
        lens: "envelope",
        band_hz: [Math.round(top * 0.15), Math.round(top * 0.3)],
        ...cut(run, 2),
        averaging: "linear",
        scaling: "peak",
        output: "spectrum",
      };
    },
    sentence: [
      "envelope of ",
      { key: "band_hz", label: "Band", as: "pair", unit: "Hz" },
      " as its ",
      {
        key: "output",
        label: "Output",
        as: "choice",
        options: options<Schema["EnvelopeOutput"]>({ spectrum: "spectrum", waveform: "waveform" }),
      },
      ", ",
      ...blocks,
      ", ",
      scaling,
    ],
  },
  {
    lens: "cepstrum",
    says: "Cepstrum",
    fresh: (run) => ({ lens: "cepstrum", ...cut(run, 2), averaging: "linear", from_s: 0.004 }),
    sentence: [
      ...blocks,
      ", ",
      averaging,
      "; quefrencies from ",
      { key: "from_s", label: "Quefrencies from", as: "number" },
    ],
  },
  {
    lens: "octave",
    says: "Octave bands",
    logX: true,
    scale: "log",
    fresh: () => ({ lens: "octave", fraction: 3, averaging: "linear", from_hz: 20 }),
    sentence: [
      {
        key: "fraction",
        label: "Bands an octave",
        as: "choice",
        options: () => [1, 3, 6, 12, 24].map((n) => ({ value: n, says: n === 1 ? "octaves" : `1/${n} octaves` })),
      },
      " from ",
      { key: "from_hz", label: "Lowest band", as: "number" },
      ", averaged ",
      {
        key: "averaging",
        label: "Averaging",
        as: "choice",
        options: options<Schema["OctaveAveraging"]>({
          linear: "over the bracket",
          fast: "fast, 125 ms",
          slow: "slow, 1 s",
        }),
      },
    ],
  },
  {
    lens: "spectrogram",
    says: "Spectrogram",
    scale: "log",
    fresh: (run) => ({ lens: "spectrogram", ...cut(run, 0.2), scaling: "peak" }),
    sentence: (recipe) => [
      ...blocks,
      ", ",
      scaling,
      " in ",
      unit,
      " along ",
      along("time"),
      ...(recipe.along === "speed" ? [" every ", step, ", ", sweep, ", by ", tacho] : []),
    ],
    completed: ({ tacho, ...recipe }, _, run, markers) =>
      recipe.along === "speed" ? { ...recipe, ...(tacho ? { tacho } : turning(run, markers)) } : recipe,
  },
  {
    lens: "statistics",
    says: "Statistics",
    fresh: () => ({ lens: "statistics" }),
    sentence: ["of ", { key: "interval_s", label: "Interval", as: "number", none: "the whole bracket" }],
  },
  {
    lens: "level",
    says: "Level",
    unit: true,
    fresh: (run) => ({
      lens: "level",
      band_hz: [10, Math.min(1000, run.sample_rate_hz * run.clean_share)],
      detector: "rms",
      interval_s: 0.2,
    }),
    sentence: [
      {
        key: "detector",
        label: "Detector",
        as: "choice",
        options: options<Schema["DetectorName"]>({ rms: "rms", peak: "peak" }),
      },
      " in ",
      { key: "band_hz", label: "Band", as: "pair", unit: "Hz" },
      " of every ",
      { key: "interval_s", label: "Interval", as: "number" },
      " in ",
      unit,
    ],
  },
  {
    lens: "cross",
    says: "Cross spectrum",
    scale: "log",
    fresh: (run) => ({ lens: "cross", reference: 1, ...cut(run) }),
    sentence: ["against ", reference, ", ", ...blocks, ", ", ofTakes],
  },
  {
    lens: "response",
    says: "Response",
    scale: "log",
    fresh: (run) => ({ lens: "response", reference: 1, estimator: "h1", ...cut(run) }),
    sentence: [
      {
        key: "estimator",
        label: "Estimator",
        as: "choice",
        options: options<Schema["EstimatorName"]>({ h1: "H1", h2: "H2", hv: "Hv" }),
      },
      " to ",
      reference,
      " as ",
      {
        key: "form",
        label: "Form",
        as: "choice",
        usual: "measured",
        options: options<Schema["FormName"]>({
          measured: "measured",
          receptance: "receptance",
          mobility: "mobility",
          accelerance: "accelerance",
        }),
      },
      ", ",
      ...blocks,
      ", ",
      ofTakes,
      "; hits: force kept for ",
      { key: "force_window.length_s", label: "Force window", as: "number", none: "the block" },
      ", ring-down ended with ",
      {
        key: "exponential_window.decay_s",
        label: "Exponential window",
        as: "number",
        none: "nothing",
      },
    ],
  },
  {
    lens: "distribution",
    says: "Distribution",
    steps: true,
    fresh: () => ({ lens: "distribution", kind: "time_at_level", classes: 60, as: "relative" }),
    completed: oneOf,
    sentence: [
      {
        key: "kind",
        label: "Kind",
        as: "choice",
        options: options<Schema["DistributionKind"]>({
          time_at_level: "time at level",
          histogram: "counts of samples",
          level_crossing: "level crossings",
        }),
      },
      " in ",
      { key: "classes", label: "Classes", as: "number", none: "fitting" },
      " classes, edges ",
      edges,
      " with ",
      {
        key: "open_ends",
        label: "Ends",
        as: "flag",
        no: "closed ends",
        yes: "open ends",
      },
      ", ",
      {
        key: "as",
        label: "Counts as",
        as: "choice",
        options: options<Schema["CountsAs"]>({ absolute: "absolute", relative: "as shares" }),
      },
    ],
  },
  {
    lens: "rainflow",
    says: "Rainflow",
    // Few large ranges do the damage: even steps would show none of them.
    scale: "log",
    steps: true,
    fresh: () => ({ lens: "rainflow", classes: 64, residue: "half", hysteresis: 0 }),
    completed: oneOf,
    sentence: [
      "ranges in ",
      { key: "classes", label: "Classes", as: "number", none: "fitting" },
      " classes, edges ",
      edges,
      ", those below ",
      { key: "hysteresis", label: "Hysteresis", as: "number" },
      " left out, the residue ",
      {
        key: "residue",
        label: "Residue",
        as: "choice",
        options: options<Schema["ResidueName"]>({
          half: "counted half",
          repeat: "closed by repeating",
          ignore: "left out",
        }),
      },
    ],
  },
  {
    lens: "shock",
    says: "Shock response",
    logX: true,
    scale: "log",
    fresh: () => ({ lens: "shock", q: 10, per_octave: 6, from_hz: 10, take: "maximax" }),
    sentence: [
      {
        key: "take",
        label: "Take",
        as: "choice",
        options: options<Schema["ShockSide"]>({ maximax: "maximax", positive: "positive", negative: "negative" }),
      },
      " for Q = ",
      { key: "q", label: "Amplification", as: "number" },
      ", ",
      { key: "per_octave", label: "Frequencies an octave", as: "number" },
      " an octave from ",
      { key: "from_hz", label: "From", as: "number" },
    ],
  },
  {
    lens: "speed",
    says: "Speed",
    fresh: (run, markers) => ({ lens: "speed", ...turning(run, markers), interval_s: 0.1 }),
    sentence: ["by ", tacho, ", every ", { key: "interval_s", label: "Interval", as: "number" }],
  },
  {
    lens: "order_map",
    says: "Order map",
    scale: "log",
    fresh: (run, markers) => ({
      lens: "order_map",
      ...turning(run, markers),
      max_order: 16,
      resolution: 0.1,
      step_rpm: 25,
    }),
    sentence: (recipe) => [
      "to order ",
      { key: "max_order", label: "Highest order", as: "number" },
      ", ",
      { key: "resolution", label: "Resolution", as: "number" },
      " apart, ",
      ...places(recipe),
      ", by ",
      tacho,
    ],
  },
  {
    lens: "order_track",
    says: "Order cuts",
    unit: true,
    fresh: (run, markers) => ({
      lens: "order_track",
      ...turning(run, markers),
      orders: [1],
      step_rpm: 10,
      resolution: 0.25,
    }),
    completed: ({ bandwidth_hz, poles, ...recipe }) =>
      recipe.method === "vold_kalman"
        ? { ...recipe, ...(bandwidth_hz ? { bandwidth_hz } : {}), ...(poles ? { poles } : {}) }
        : recipe,
    sentence: (recipe) => [
      "order ",
      { key: "orders", label: "Orders", as: "list" },
      ", ",
      ...(recipe.method === "vold_kalman" && recipe.bandwidth_hz
        ? [widthHz, " wide"]
        : [
            { key: "resolution", label: "Resolution", as: "number" } as Field,
            " wide",
            ...(recipe.method === "vold_kalman" ? [" ", widthHz] : []),
          ]),
      ", read ",
      {
        key: "method",
        label: "Method",
        as: "choice",
        usual: "resample",
        options: () => [
          { value: "resample", says: "of blocks of revolutions", face: "of blocks" },
          { value: "vold_kalman", says: "together, sample by sample (Vold–Kalman)", face: "together (Vold–Kalman)" },
        ],
      } as Field,
      ...(recipe.method === "vold_kalman"
        ? [
            " with ",
            {
              key: "poles",
              label: "Poles",
              as: "choice",
              usual: 2,
              options: () => [
                { value: 1, says: "one pole, no overshoot", face: "one pole" },
                { value: 2, says: "two poles, flatter and steeper", face: "two poles" },
              ],
            } as Field,
          ]
        : []),
      ", ",
      ...places(recipe),
      ", by ",
      tacho,
      "; slow roll ",
      { key: "slow_roll_rpm", label: "Slow roll", as: "pair", unit: "rpm", none: "left on" },
      ", in ",
      unit,
    ],
    follows: (_run, _recipe, result) => {
      const rise = result?.numbers.find((n) => n.name.startsWith("rise"));
      const within = result?.traces.flatMap((t) => t.within ?? []).sort((a, b) => a - b) ?? [];
      const middle = within[Math.floor(within.length / 2)];
      if (!rise || middle === undefined) return "";
      return `rises within ${withUnit(rise.value, rise.unit, 3)}, ± ${withUnit(middle, result?.traces[0]?.unit ?? "", 2)} (2 σ, median)`;
    },
  },
  {
    lens: "orbit",
    says: "Orbit",
    fresh: (run, markers) => ({ lens: "orbit", ...turning(run, markers), orders: [] }),
    sentence: [
      "a mean turn of two channels, orders ",
      { key: "orders", label: "Orders of the orbit", as: "list", none: "all" },
      ", by ",
      tacho,
    ],
  },
  {
    lens: "arrivals",
    says: "Arrivals",
    fresh: () => ({ lens: "arrivals", pick: "aic" }),
    sentence: [
      "picked by ",
      {
        key: "pick",
        label: "Pick",
        as: "choice",
        options: options<Schema["PickName"]>({ aic: "change of its course (AIC)", threshold: "a threshold" }),
      },
      " in ",
      { key: "band_hz", label: "Band", as: "pair", unit: "Hz", none: "all of it" },
    ],
  },
];

export const lensOf = (name: string) => lenses.find((l) => l.lens === name) ?? (lenses[0] as LensKind);

/** What stands at a key, which may lead into an object. */
export function at(recipe: Recipe, key: string): unknown {
  return key.split(".").reduce<unknown>((o, k) => (o as Record<string, unknown> | undefined)?.[k], recipe);
}

/** A recipe with another value at a key; none takes the key away. */
export function put(recipe: Recipe, key: string, value: unknown): Recipe {
  const [first = "", ...rest] = key.split(".");
  const next = { ...recipe };
  const to = rest.length ? put((recipe[first] ?? {}) as Recipe, rest.join("."), value) : value;
  const empty = rest.length > 0 && Object.keys(to as Recipe).length === 0;
  if (to === undefined || empty) delete next[first];
  else next[first] = to;
  return next;
}
