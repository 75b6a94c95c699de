/** What the Study station looks at: kept with the page, so that a reload finds it. */
import { useCallback, useState } from "react";
import type { Range } from "../../ui/Plot";

export type SpectrumSet = {
  block: number;
  window: string;
  overlap: number;
  scaling: string;
  averaging: string;
  unit: string;
};

export type Look = { channels: number[]; bracket: Range | null; spectrum: SpectrumSet; shown: Range | null };

export const firstLook: Look = {
  channels: [7, 8],
  bracket: null,
  spectrum: { block: 32768, window: "hann", overlap: 0.5, scaling: "peak", averaging: "linear", unit: "" },
  shown: [0, 1400],
};

function read(run: number): Look {
  try {
    const own = localStorage.getItem(`study ${run}`) ?? localStorage.getItem("study");
    const kept = own ? { ...firstLook, ...JSON.parse(own) } : firstLook;
    return localStorage.getItem(`study ${run}`) ? kept : { ...kept, bracket: null };
  } catch {
    return firstLook;
  }
}

export function useLook(run: number): [Look, (part: Partial<Look>) => void] {
  const [held, setHeld] = useState(() => ({ run, look: read(run) }));
  const now = held.run === run ? held.look : read(run);
  const set = useCallback(
    (part: Partial<Look>) =>
      setHeld((was) => {
        const look = { ...(was.run === run ? was.look : read(run)), ...part };
        localStorage.setItem(`study ${run}`, JSON.stringify(look));
        localStorage.setItem("study", JSON.stringify({ ...look, bracket: null }));
        return { run, look };
      }),
    [run],
  );
  return [now, set];
}

/** The recipe the server is asked to carry out. */
export const recipeOf = (look: Look, from_s: number, to_s: number) => ({
  lens: "spectrum",
  channels: look.channels,
  stretch: { from_s, to_s },
  block: look.spectrum.block,
  window: look.spectrum.window,
  overlap: look.spectrum.overlap,
  averaging: look.spectrum.averaging,
  scaling: look.spectrum.scaling,
  ...(look.spectrum.unit ? { unit: look.spectrum.unit } : {}),
});
