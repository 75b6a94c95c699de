/** What the Study station looks at: kept with the page, so that a reload finds it. */
import { useCallback, useState } from "react";
import type { Range } from "../../ui/Plot";

/** What is set on spectra. */
export type Cursors = {
  tool: "peak" | "harmonics" | "sidebands" | "band";
  peaks: { name: string; hz: number }[];
  harmonics: { base_hz: number; count: number } | null;
  sidebands: { center_hz: number; spacing_hz: number; count: number } | null;
  band: Range | null;
  /** How many of the highest peaks are listed; none where 0. */
  highest: number;
  /** Elements of the machine whose lines are shown, and how many multiples of each. */
  elements: string[];
  multiples: number;
};

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

const noCursors: Cursors = {
  tool: "peak",
  peaks: [],
  harmonics: null,
  sidebands: null,
  band: null,
  highest: 0,
  elements: [],
  multiples: 3,
};

const first = (rate: number): Look => ({
  channels: [7, 8],
  bracket: null,
  kept: [],
  shown: { frequency: [0, Math.min(1400, 0.4 * rate)] },
  cursors: noCursors,
});

function read(run: number, rate: number): Look {
  try {
    const own = localStorage.getItem(`study ${run}`);
    if (own) {
      const look = { ...first(rate), ...JSON.parse(own) } as Look;
      return { ...look, cursors: { ...noCursors, ...look.cursors } };
    }
    const last = localStorage.getItem("study");
    const kept = last ? (JSON.parse(last) as Look) : undefined;
    // Another run may be of another rate: what was zoomed is let go, what was chosen stays.
    return kept ? { ...first(rate), channels: kept.channels } : first(rate);
  } catch {
    return first(rate);
  }
}

export function useLook(run: number, rate: number): [Look, (part: Partial<Look>) => void] {
  const [held, setHeld] = useState(() => ({ run, look: read(run, rate) }));
  const now = held.run === run ? held.look : read(run, rate);
  const set = useCallback(
    (part: Partial<Look>) =>
      setHeld((was) => {
        const look = { ...(was.run === run ? was.look : read(run, rate)), ...part };
        localStorage.setItem(`study ${run}`, JSON.stringify(look));
        localStorage.setItem("study", JSON.stringify(look));
        return { run, look };
      }),
    [run, rate],
  );
  return [now, set];
}
