/** The newest hit of a point: its force, its spectrum with the band it excites, and the responses so far; what was
 * before is paler. */
import { useMemo, useState } from "react";
import type { Analysis, Schema } from "../../../api/client";
import { type Series, useTapPicture } from "../../../api/taps";
import { amplitude } from "../../../ui/complex";
import { digits } from "../../../ui/format";
import { Panel, Wrong } from "../../../ui/Panel";
import { type Curve, type Mark, Plot, type Range } from "../../../ui/plot/Plot";
import { ChosenWord } from "../../../ui/Word";
import { HitLevels } from "./HitLevels";

type Hit = Schema["HitPicture"];

const hitsOf = (a: Analysis) => (a.averages === 1 ? "1 hit" : `${a.averages} hits`);

type Props = { series: Series; point: number; pair: number; onPair: (pair: number) => void };

const UNIT: Range = [0, 1];

export function HitPlots({ series, point, pair, onPair }: Props) {
  const [over, setOver] = useState<"time" | "level">("time");
  const picture = useTapPicture(series.id, point, pair);
  const data = picture.data;
  const newest = data?.hits[0];
  const [force, spectrum] = useMemo(() => {
    const laid = (of: (h: Hit) => number[]): Curve[] =>
      (data?.hits ?? []).map((h, k) => ({ name: k === 0 ? "last hit" : `${k} before`, high: of(h), pale: k > 0 }));
    return [laid((h) => h.force_n), laid((h) => h.spectrum)];
  }, [data]);
  const sofar = data?.responses ?? [];
  const response = useMemo<Curve[]>(
    () =>
      (data?.responses ?? []).map((a, k) => ({
        name: hitsOf(a),
        high: a.traces.filter((t) => t.quantity !== "coherence").map(amplitude)[0] ?? [],
        pale: k > 0,
      })),
    [data],
  );
  const coherence = useMemo<Curve[]>(
    () =>
      (data?.responses ?? []).flatMap((a, k) => {
        const c = a.traces.find((t) => t.quantity === "coherence");
        return c && (a.averages ?? 0) > 1 ? [{ name: hitsOf(a), high: c.values, pale: k > 0 }] : [];
      }),
    [data],
  );
  const marks = useMemo<Mark[]>(
    () => (newest ? [{ x: newest.excited_to_hz, says: `useful to ${digits(newest.excited_to_hz, 3)} Hz` }] : []),
    [newest],
  );
  const levels = useMemo(() => {
    const { least_n, most_n } = series.plan.limits ?? {};
    return [...(least_n ? [{ at: least_n, says: "least" }] : []), ...(most_n ? [{ at: most_n, says: "most" }] : [])];
  }, [series.plan.limits]);
  const least = useMemo(() => [{ at: series.plan.least_coherence, says: "least" }], [series.plan.least_coherence]);
  const hz = sofar[0]?.axes[0]?.values ?? [];
  const unit = sofar[0]?.traces[0]?.unit ?? "";
  const where = series.points[point]?.says ?? "";
  return (
    <>
      <Wrong error={picture.error} />
      <div className="grid h-60 shrink-0 grid-cols-[1fr_1fr_1.9fr] gap-2">
        <Panel
          title="Force"
          says={
            <ChosenWord
              label="What is shown of the hits"
              value={over}
              options={[
                { value: "time", says: `last hit on ${where}` },
                { value: "level", says: "answer over level" },
              ]}
              onSet={setOver}
            />
          }
        >
          {over === "level" ? (
            <HitLevels hits={series.hits} />
          ) : (
            <Plot
              label="Force of the last hit"
              x={newest?.times_s ?? []}
              curves={force}
              xLabel="time, s"
              axis="hit, s"
              yLabel="force, N"
              levels={levels}
            />
          )}
        </Panel>
        <Panel title="Force spectrum">
          <Plot
            label="Spectrum of the last hit"
            x={newest?.frequencies_hz ?? []}
            curves={spectrum}
            xLabel="frequency, Hz"
            yLabel="force, N/Hz"
            logY
            marks={marks}
            band={series.plan.band_hz as Range}
          />
        </Panel>
        <Panel
          title="Response"
          says={
            data && data.pairs.length > 1 ? (
              <ChosenWord
                label="Response that is shown"
                value={Math.min(pair, data.pairs.length - 1)}
                options={data.pairs.map((says, value) => ({ value, says }))}
                onSet={onPair}
              />
            ) : (
              data?.pairs[0]
            )
          }
          aside={
            response.length > 0 && (
              <span className="text-[12px] text-soft">{response.map((c) => c.name).join(", ")}</span>
            )
          }
        >
          {response.length === 0 ? (
            <p className="m-auto px-4 text-center text-soft">The response comes with the first good hit.</p>
          ) : (
            <>
              <div className="flex min-h-0 flex-[2]">
                <Plot
                  label="Response so far"
                  x={hz}
                  curves={response}
                  xLabel=""
                  axis="frequency, Hz"
                  yLabel={`response, ${unit}`}
                  logY
                />
              </div>
              <div className="flex min-h-0 flex-1">
                <Plot
                  label="Coherence so far"
                  x={hz}
                  curves={coherence}
                  xLabel="frequency, Hz"
                  yLabel="coherence"
                  axes={{ y: UNIT }}
                  levels={least}
                  file={null}
                />
              </div>
            </>
          )}
        </Panel>
      </div>
    </>
  );
}
