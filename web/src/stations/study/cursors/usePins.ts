/** What pinned peaks read: each of the channel and the lens it was pinned on, whatever is looked at since. */
import { keepPreviousData, useQueries } from "@tanstack/react-query";
import { api, type RunDetail, type Schema, told } from "../../../api/client";
import type { Panel } from "../bench";
import { lensOf } from "../lens/lenses";
import type { Cursors } from "../look";
import { recipeOf, rowOf } from "../rows";

type Pin = Cursors["peaks"][number];
type Line = Schema["ReadingBody"]["lines"][number];

export type PinRead = Pin & {
  line: Line | undefined;
  unit: string;
  /** The channel, and the lens where the bench has several that are read. */
  of: string;
};

/** A spectrum of the bench, with the channels and the stretch it shows. */
export type Spectral = { panel: Panel; channels: number[]; bracket: [number, number]; within_hz: number };

export function usePins(run: RunDetail, cursors: Cursors, spectra: Spectral[], sensitivities: string): PinRead[] {
  const usual = spectra[0];
  const home = (p: Pin) => spectra.find((s) => s.panel.recipe.lens === p.lens) ?? (p.lens ? undefined : usual);
  const asked = spectra.map((s) => {
    const pins = cursors.peaks.filter((p) => home(p) === s);
    // What a pin was set on is read though it is not shown any more.
    const channels = [...new Set([...s.channels, ...pins.flatMap((p) => p.ch ?? [])])].filter((c) => rowOf(run, c));
    const first = rowOf(run, channels[0] ?? 1)?.unit;
    const alike = channels.filter((c) => rowOf(run, c)?.unit === first);
    return { ...s, pins, alike };
  });
  const all = useQueries({
    queries: asked.map(({ panel, alike, bracket, pins, within_hz }) => {
      const recipe = recipeOf(run, panel.recipe, alike, bracket);
      const asks = pins.map((p) => ({
        trace: Math.max(alike.indexOf(p.ch ?? alike[0] ?? 1), 0),
        ask: { read: "lines" as const, hz: [p.hz], within_hz },
      }));
      return {
        queryKey: ["pins", run.id, recipe, asks, sensitivities],
        enabled: asks.length > 0,
        placeholderData: keepPreviousData,
        retry: false,
        queryFn: ({ signal }: { signal: AbortSignal }) =>
          told(
            api.POST("/api/runs/{id}/readings", {
              params: { path: { id: run.id } },
              body: { recipe: recipe as never, asks },
              signal,
            }),
          ),
      };
    }),
  });
  const lenses = new Set(spectra.map((s) => s.panel.recipe.lens)).size;
  return cursors.peaks.map((p) => {
    const i = asked.findIndex((a) => a.pins.includes(p));
    const read = all[i]?.data?.[asked[i]?.pins.indexOf(p) ?? -1];
    const channel = rowOf(run, p.ch ?? asked[i]?.alike[0] ?? 1);
    const lens = p.lens && lenses > 1 ? `, ${lensOf(p.lens).says.toLowerCase()}` : "";
    return { ...p, line: read?.lines[0], unit: read?.unit ?? "", of: `${channel?.name ?? ""}${lens}` };
  });
}
