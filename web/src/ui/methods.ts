/** How things are computed, in the words of `docs/methods.md`: the text of the documentation is the text of the page. */

export type Method = {
  title: string;
  /** How it is done. */
  how: string;
  /** Where it ends. */
  limits: string;
  source: string;
};

/** Text without marks of its markup. */
const plain = (text: string) => text.replace(/\\\|/g, "|").replace(/[`*]/g, "").trim();

/** Cells of a line of a table; a bar after a backslash is none. */
const cells = (line: string) =>
  line
    .split(/(?<!\\)\|/)
    .slice(1, -1)
    .map(plain);

/** Everything the documentation explains: rows of its tables, and paragraphs by the words that stand out in them. */
export function methodsOf(markdown: string): Method[] {
  return markdown.split("\n").flatMap((line): Method[] => {
    if (/^\|\s*(-+|computation|function|rule|word)/.test(line)) return [];
    if (line.startsWith("|")) {
      const [title = "", how = "", limits = "", source = ""] = cells(line);
      return title && how ? [{ title, how, limits, source }] : [];
    }
    const name = /^(?:An? |The |\w+ )?\*\*([^*]+)\*\*/.exec(line)?.[1];
    return name ? [{ title: name, how: plain(line), limits: "", source: "" }] : [];
  });
}

/** What explains a lens. */
const ofLens: Record<string, string[]> = {
  waveform: ["Reduction"],
  spectrum: ["Spectrum", "Scaling", "Windows", "Random error", "Interval", "Peaks"],
  envelope: ["Envelope", "Spectrum", "Windows"],
  cepstrum: ["Cepstrum"],
  octave: ["Fractional octaves"],
  spectrogram: ["Spectrogram", "Scaling", "Windows"],
  statistics: ["Statistics"],
  level: ["Level"],
  cross: ["Cross PSD", "Coherence"],
  response: ["Response", "Coherence", "Receptance, mobility, accelerance (form)", "Hits", "Double hit", "Overload"],
  distribution: ["Time at level, histogram", "Level crossing"],
  rainflow: ["Rainflow"],
  shock: ["Shock response"],
  speed: ["Pulses", "Places", "Angle and speed"],
  order_map: ["Order map", "Even angle", "Along time", "Places", "Angle and speed"],
  order_track: [
    "Order track",
    "Order track, together",
    "Along time",
    "Resonance, by a fit",
    "Resonance, by half power",
    "Places",
  ],
  orbit: ["Orbit"],
  arrivals: ["Arrival", "Threshold"],
};

export const lensMethods = (lens: string) => ofLens[lens] ?? [];
export const cursorMethods = ["line", "highest peaks", "Lines of machine elements", "Peaks"];
export const unitMethods = ["Unit of another motion", "Integration", "Differentiation"];

/** What explains a caution: the row of its rule. */
export const ruleMethods = (rule: string) => [rule.replaceAll("_", " ")];

/** Those with these titles, in this order. */
export const chosen = (all: Method[], titles: string[]) => titles.flatMap((t) => all.find((m) => m.title === t) ?? []);
