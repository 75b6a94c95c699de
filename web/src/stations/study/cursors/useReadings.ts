/** What the cursors read of a spectrum, asked of the server together. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, type Schema, told } from "../../../api/client";
import type { Cursors } from "../look";

export type Read = Schema["ReadingBody"];
export type Marker = Schema["Marker"];

/** Lines of the chosen elements at a speed, their multiples one after the other. */
export function markerLines(markers: Schema["MarkersBody"] | undefined, cursors: Cursors) {
  const rpm = markers?.rpm;
  if (!rpm) return [];
  return markers.markers
    .filter((m) => cursors.elements.includes(m.element))
    .flatMap((m) =>
      Array.from({ length: cursors.multiples }, (_, k) => ({
        // A shaft's own line is its 1×: its multiples are 2×, 3× …
        says: m.says === "1×" ? `${k + 1}×` : k ? `${k + 1}× ${m.says}` : m.says,
        element: m.element,
        hz: ((k + 1) * m.order * rpm) / 60,
        within_hz: ((k + 1) * m.order * ((markers.within_rpm ?? 0) + m.within * rpm)) / 60,
        label: k ? `${k + 1}×` : m.says,
      })),
    );
}

export type MarkerLine = ReturnType<typeof markerLines>[number];

export type Readings = {
  harmonics?: Read | undefined;
  sidebands?: Read | undefined;
  band?: Read | undefined;
  markers?: Read | undefined;
  highest?: Read | undefined;
};

export function useReadings(
  run: number,
  recipe: object | undefined,
  trace: number,
  cursors: Cursors,
  lines: MarkerLine[],
  sensitivities: string,
  shaft_hz: number | undefined,
): { data: Readings; error: Error | null } {
  const asks: [keyof Readings, Schema["Ask"]][] = [];
  if (cursors.harmonics) asks.push(["harmonics", { read: "harmonics", ...cursors.harmonics }]);
  if (cursors.sidebands) asks.push(["sidebands", { read: "sidebands", ...cursors.sidebands }]);
  if (cursors.band) asks.push(["band", { read: "band", from_hz: cursors.band[0], to_hz: cursors.band[1] }]);
  if (lines.length)
    asks.push([
      "markers",
      { read: "lines", hz: lines.map((l) => l.hz), known_within_hz: lines.map((l) => l.within_hz) },
    ]);
  if (cursors.highest)
    asks.push([
      "highest",
      {
        read: "peaks",
        count: cursors.highest,
        known: lines.map((l) => ({ says: `${l.element} ${l.says}`, hz: l.hz, within_hz: l.within_hz })),
        ...(shaft_hz ? { shaft_hz } : {}),
      },
    ]);
  const all = useQuery<Readings>({
    queryKey: ["readings", run, recipe, trace, asks, sensitivities],
    enabled: recipe !== undefined && asks.length > 0,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: ({ signal }) =>
      told(
        api.POST("/api/runs/{id}/readings", {
          params: { path: { id: run } },
          body: { recipe: recipe as never, asks: asks.map(([, ask]) => ({ trace, ask })) },
          signal,
        }),
      ).then((read) => Object.fromEntries(asks.map(([key], i) => [key, read[i]])) as Readings),
  });
  return { data: asks.length ? (all.data ?? {}) : {}, error: all.error };
}
