/** The slip beside the plots: which cursor is set by a click, and what the cursors read. */
import type { ReactNode } from "react";
import type { Schema } from "../../../api/client";
import { NumberWord } from "../../../ui/EntryWord";
import { digits } from "../../../ui/format";
import { ChosenWord } from "../../../ui/Word";
import type { Cursors } from "../look";
import { Highest } from "./Highest";
import type { PinRead } from "./usePins";
import type { MarkerLine, Readings } from "./useReadings";

type Props = {
  cursors: Cursors;
  pins: PinRead[];
  onSet: (part: Partial<Cursors>) => void;
  data: Readings;
  unit: string;
  curves: string[];
  curve: number;
  onCurve: (curve: number) => void;
  markers: Schema["MarkersBody"] | undefined;
  lines: MarkerLine[];
  /** Where the tachometer is put right. */
  tacho: ReactNode;
};

const tools: { tool: Cursors["tool"]; says: string; hint: string }[] = [
  { tool: "peak", says: "Peak", hint: "Click near a peak to read it between the lines." },
  { tool: "harmonics", says: "Harmonics", hint: "Click a line; drag any member to fit the family." },
  { tool: "sidebands", says: "Sidebands", hint: "Click the line in the middle, then drag a sideband." },
  { tool: "band", says: "Band", hint: "Shift-drag over a band to read its level." },
];

export function CursorSlip({ cursors, pins, onSet, data, unit, curves, curve, onCurve, markers, lines, tacho }: Props) {
  const tool = tools.find((t) => t.tool === cursors.tool);
  const word = (label: string, value: number, unitOf: string, set: (x: number) => void, lo = 0) => (
    <NumberWord label={label} value={Number(value.toPrecision(7))} unit={unitOf} low={lo} onSet={set} />
  );
  const { harmonics, sidebands, band } = cursors;
  return (
    <div className="text-[13px]">
      <div role="radiogroup" aria-label="Cursor" className="flex flex-wrap gap-x-2.5">
        {tools.map((t) => (
          <label key={t.tool} className="flex cursor-pointer items-center gap-1">
            <input
              type="radio"
              name="cursor"
              className="accent-harbour"
              checked={cursors.tool === t.tool}
              onChange={() => onSet({ tool: t.tool })}
            />
            {t.says}
          </label>
        ))}
      </div>
      <p className="text-[12px] text-soft">{tool?.hint}</p>
      {curves.length > 1 && (
        <p className="leading-7">
          Read of{" "}
          <ChosenWord
            label="Curve read"
            value={curve}
            options={curves.map((c, i) => ({ value: i, says: c }))}
            onSet={onCurve}
          />
        </p>
      )}
      {pins.length > 0 && <Peaks {...{ cursors, pins, onSet, unit }} several={curves.length > 1} />}
      {harmonics && (
        <Family
          title="Harmonics"
          read={data.harmonics}
          unit={unit}
          onDrop={() => onSet({ harmonics: null })}
          says={
            <>
              {word(
                "Count",
                harmonics.count,
                "",
                (count) => onSet({ harmonics: { ...harmonics, count: Math.round(count) } }),
                1,
              )}{" "}
              of {word("Base", harmonics.base_hz, "Hz", (base_hz) => onSet({ harmonics: { ...harmonics, base_hz } }))}
            </>
          }
        />
      )}
      {sidebands && (
        <Family
          title="Sidebands"
          read={data.sidebands}
          unit={unit}
          onDrop={() => onSet({ sidebands: null })}
          says={
            <>
              {word(
                "Sideband count",
                sidebands.count,
                "",
                (n) => onSet({ sidebands: { ...sidebands, count: Math.round(n) } }),
                1,
              )}{" "}
              on each side of{" "}
              {word("Center", sidebands.center_hz, "Hz", (center_hz) =>
                onSet({ sidebands: { ...sidebands, center_hz } }),
              )}
              ,{" "}
              {word("Spacing", sidebands.spacing_hz, "Hz", (spacing_hz) =>
                onSet({ sidebands: { ...sidebands, spacing_hz } }),
              )}{" "}
              apart
            </>
          }
        />
      )}
      {band && (
        <section className="mt-2 border-t border-rule pt-1">
          <Head title="Band" onDrop={() => onSet({ band: null })} />
          <p>
            {digits(band[0], 5)} to {digits(band[1], 5)} Hz:{" "}
            <b className="num" data-reading="level">
              {digits(data.band?.level, 4)}
            </b>{" "}
            {data.band?.unit} rms
          </p>
          {data.band?.refused && <p className="text-reef">{data.band.refused}</p>}
        </section>
      )}
      <Highest {...{ cursors, data, unit, onSet }} />
      <Markers {...{ cursors, onSet, data, unit, markers, lines, tacho }} />
    </div>
  );
}

function Head({ title, onDrop }: { title: string; onDrop: () => void }) {
  return (
    <h3 className="flex font-semibold text-mark">
      {title}
      <button type="button" aria-label={`Remove ${title.toLowerCase()}`} className="ml-auto text-soft" onClick={onDrop}>
        ×
      </button>
    </h3>
  );
}

/** Peaks by letter, each of its own channel; from the second on with the distance from the first. */
function Peaks({
  cursors,
  pins,
  onSet,
  unit,
  several,
}: Pick<Props, "cursors" | "pins" | "onSet" | "unit"> & { several: boolean }) {
  const first = pins[0]?.line?.found_hz ?? pins[0]?.hz ?? 0;
  const named = several || new Set(pins.map((p) => p.of)).size > 1;
  const units = new Set(pins.map((p) => p.unit || unit));
  return (
    <table className="mt-1 w-full" aria-label="Readings">
      <thead>
        <tr className="border-b border-ink text-right text-soft">
          <td />
          <th className="font-normal">Hz</th>
          <th className="font-normal">{units.size === 1 ? [...units][0] : ""}</th>
          <th className="font-normal">Δ Hz</th>
          <td />
        </tr>
      </thead>
      {pins.map((p, i) => {
        const hz = p.line?.found_hz ?? p.hz;
        return (
          <tbody key={p.name} className="border-b border-rule">
            <tr>
              <td className="text-mark">{p.name}</td>
              <td className="num text-right" data-reading="hz">
                {p.line ? digits(hz, 6) : ""}
              </td>
              <td className="num text-right" data-reading="value">
                {p.line ? digits(p.line.value, 4) : ""}
              </td>
              <td className="num text-right">{i ? digits(hz - first, 5) : ""}</td>
              <td className="text-right">
                <button
                  type="button"
                  aria-label={`Remove reading ${p.name}`}
                  className="text-soft"
                  onClick={() => onSet({ peaks: cursors.peaks.filter((x) => x.name !== p.name) })}
                >
                  ×
                </button>
              </td>
            </tr>
            {named && (
              <tr>
                <td />
                <td colSpan={4} className="truncate text-[12px] leading-4 text-soft" data-reading="of">
                  {p.of}
                  {units.size > 1 && `, ${p.unit}`}
                </td>
              </tr>
            )}
          </tbody>
        );
      })}
    </table>
  );
}

/** A family's members; those that were not found say so. */
function Family({
  title,
  says,
  read,
  unit,
  onDrop,
}: {
  title: string;
  says: React.ReactNode;
  read: Readings["harmonics"];
  unit: string;
  onDrop: () => void;
}) {
  const found = read?.lines.filter((l) => l.found_hz != null).length ?? 0;
  return (
    <section className="mt-2 border-t border-rule pt-1" aria-label={title}>
      <Head title={title} onDrop={onDrop} />
      <p className="leading-7">{says}</p>
      {read?.refused && <p className="text-reef">{read.refused}</p>}
      {read?.spacing_hz != null && (
        <p>
          fitted{" "}
          <b className="num" data-reading="spacing">
            {digits(read.spacing_hz, 6)}
          </b>{" "}
          Hz, {found} of {read.lines.length} found
        </p>
      )}
      {read && !read.refused && read.spacing_hz == null && <p>none of {read.lines.length} found: no distance fits</p>}
      <table className="w-full">
        <tbody>
          {read?.lines.map((l) => (
            <tr key={l.number} className={`border-t border-rule ${l.found_hz == null ? "text-soft" : ""}`}>
              <td className="text-mark">{l.number > 0 && title === "Sidebands" ? `+${l.number}` : l.number}</td>
              <td className="num text-right">{digits(l.found_hz ?? l.wanted_hz, 6)}</td>
              <td className="num text-right" data-member={l.number}>
                {l.found_hz == null ? "none" : digits(l.value, 4)}
              </td>
              <td className="pl-1 text-soft">{unit}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** Lines of the machine's elements at the bracket's speed, with what stands there. */
function Markers({
  cursors,
  onSet,
  data,
  unit,
  markers,
  lines,
  tacho,
}: Omit<Props, "pins" | "curves" | "curve" | "onCurve">) {
  const elements = [...new Set(markers?.markers.map((m) => m.element) ?? [])];
  return (
    <section className="mt-2 border-t border-rule pt-1" aria-label="Markers">
      <h3 className="font-semibold text-mark">Markers</h3>
      <p className="text-soft">
        {markers?.rpm ? (
          <>
            at{" "}
            <b className="num text-ink" data-reading="rpm">
              {digits(markers.rpm, 5)}
            </b>{" "}
            rpm, the bracket’s mean speed by the {tacho}
          </>
        ) : (
          <>
            {markers?.says ?? "reading the speed …"} {tacho}
          </>
        )}
      </p>
      {elements.length === 0 && <p className="text-soft">No element is known yet: see Machine above.</p>}
      <div className="flex flex-wrap gap-x-3">
        {elements.map((e) => (
          <label key={e} className="flex cursor-pointer items-center gap-1">
            <input
              type="checkbox"
              className="accent-harbour"
              checked={cursors.elements.includes(e)}
              onChange={() =>
                onSet({
                  elements: cursors.elements.includes(e)
                    ? cursors.elements.filter((x) => x !== e)
                    : [...cursors.elements, e],
                })
              }
            />
            {e}
          </label>
        ))}
      </div>
      {lines.length > 0 && (
        <>
          <p className="leading-7">
            with{" "}
            <ChosenWord
              label="Multiples"
              value={cursors.multiples}
              options={[1, 2, 3, 4, 5, 8, 10].map((n) => ({
                value: n,
                says: n === 1 ? "no multiples" : `${n} multiples`,
              }))}
              onSet={(multiples) => onSet({ multiples })}
            />
          </p>
          <table className="w-full" aria-label="Marker lines">
            <tbody>
              {lines.map((l, i) => {
                const read = data.markers?.lines[i];
                return (
                  <tr
                    key={`${l.element} ${l.says}`}
                    className={`border-t border-rule ${read?.found_hz == null ? "text-soft" : ""}`}
                    title={l.element}
                  >
                    <td className="max-w-24 truncate text-mark">{l.says}</td>
                    <td className="num text-right">{digits(l.hz, 5)}</td>
                    <td className="num text-right" data-marker={l.says}>
                      {read?.found_hz == null ? "none" : digits(read.value, 3)}
                    </td>
                    <td className="pl-1 text-soft">{unit}</td>
                  </tr>
                );
              })}
            </tbody>
          </table>
        </>
      )}
    </section>
  );
}
