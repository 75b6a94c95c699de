/** What a click or a drag does to the cursors. */
import type { Analysis } from "../../../api/client";
import { digits } from "../../../ui/format";
import type { Mark } from "../../../ui/plot/Plot";
import type { Cursors } from "../look";
import type { PinRead } from "./usePins";
import type { MarkerLine, Readings } from "./useReadings";

/** The listed peak nearest to a click, or the click's own place. */
function nearest(result: Analysis, hz: number, reach: number): { hz: number; channel: number | undefined } {
  const near = (result.peaks ?? [])
    .filter((p) => Math.abs(p.frequency_hz - hz) < reach)
    .sort((a, b) => b.value - a.value)[0];
  return near ? { hz: near.frequency_hz, channel: near.channel } : { hz, channel: undefined };
}

/** The cursors after a click on a spectrum, and the curve a family was set on. A peak that is pinned keeps its own
 * channel and lens, and leaves those of all others. */
export function clicked(
  cursors: Cursors,
  result: Analysis,
  hz: number,
  perPixel: number,
  channel: number | undefined,
): { part: Partial<Cursors>; curve: number | undefined } {
  const at = nearest(result, hz, 14 * perPixel);
  const curve = result.traces.findIndex((t) => t.channel === at.channel);
  const found = curve >= 0 ? curve : undefined;
  switch (cursors.tool) {
    case "harmonics":
      return { part: { harmonics: { base_hz: at.hz, count: cursors.harmonics?.count ?? 10 } }, curve: found };
    case "sidebands": {
      const spacing_hz = cursors.sidebands?.spacing_hz ?? at.hz / 20;
      return {
        part: { sidebands: { center_hz: at.hz, spacing_hz, count: cursors.sidebands?.count ?? 3 } },
        curve: found,
      };
    }
    case "band":
      return { part: {}, curve: undefined };
    case "peak": {
      const name = "abcdefgh".split("").find((n) => !cursors.peaks.some((p) => p.name === n)) ?? "h";
      const same = (p: Cursors["peaks"][number]) => p.ch === (at.channel ?? channel) && p.lens === result.recipe.lens;
      const peaks = cursors.peaks.filter((p) => Math.abs(p.hz - at.hz) > 1e-9 || !same(p)).slice(-7);
      const ch = at.channel ?? channel;
      const pin = { name, hz: at.hz, lens: result.recipe.lens, ...(ch === undefined ? {} : { ch }) };
      return { part: { peaks: [...peaks, pin] }, curve: undefined };
    }
  }
}

/** Pennants for all cursors; members of a family are dragged by any of them. */
export function marksOf(
  cursors: Cursors,
  pins: PinRead[],
  data: Readings,
  lines: MarkerLine[],
  onSet: (part: Partial<Cursors>) => void,
): (Mark & { lens?: string | undefined })[] {
  const marks: (Mark & { lens?: string | undefined })[] = pins.map((p) => {
    const hz = p.line?.found_hz ?? p.hz;
    return { x: hz, says: `${p.name} ${digits(hz, 5)}`, lens: p.lens };
  });
  const { harmonics, sidebands } = cursors;
  if (harmonics) {
    const base = data.harmonics?.spacing_hz ?? harmonics.base_hz;
    for (let k = 1; k <= harmonics.count; k++)
      marks.push({
        x: k * base,
        says: `${k}×`,
        faint: k > 1,
        onDrag: (x) => x > 0 && onSet({ harmonics: { ...harmonics, base_hz: x / k } }),
      });
  }
  if (sidebands) {
    const center = data.sidebands?.lines.find((l) => l.number === 0)?.found_hz ?? sidebands.center_hz;
    const spacing = data.sidebands?.spacing_hz ?? sidebands.spacing_hz;
    for (let k = -sidebands.count; k <= sidebands.count; k++)
      marks.push({
        x: center + k * spacing,
        says: k === 0 ? digits(center, 5) : `${k > 0 ? "+" : "−"}${Math.abs(k)}`,
        faint: k !== 0,
        onDrag: (x) => {
          if (k === 0) onSet({ sidebands: { ...sidebands, center_hz: x } });
          else if ((x - center) / k > 0) onSet({ sidebands: { ...sidebands, spacing_hz: (x - center) / k } });
        },
      });
  }
  for (const l of lines) marks.push({ x: l.hz, says: l.label, faint: true });
  return marks;
}
