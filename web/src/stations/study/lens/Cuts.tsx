/** Order cuts and responses; Shift-drag over a peak of a cut reads the resonance there. */
import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useMemo, useState } from "react";
import { type Analysis, api, type Schema, told } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { RangeWord } from "../../../ui/EntryWord";
import { digits } from "../../../ui/format";
import type { Range } from "../../../ui/plot/Plot";
import { ChosenWord } from "../../../ui/Word";
import type { PanelLook } from "../bench";
import { Bode } from "./Bode";
import { lensOf } from "./lenses";
import type { Overlaid } from "./overlay";
import { Polar } from "./Polar";

type Read = Schema["ReadingBody"];
type Force = Schema["ForceName"];
type Trace = Analysis["traces"][number];

type Props = {
  run: number;
  /** The recipe with channels and stretch. */
  recipe: { lens: string };
  /** The run's own result: what is laid over it is drawn, but not read. */
  own: Analysis;
  result: Analysis;
  look: PanelLook;
  onLook: (part: Partial<PanelLook>) => void;
  yWords: ReactNode;
  whole: () => Promise<Overlaid>;
  range: Range | undefined;
  onZoom: (to: Range) => void;
  onBack: () => void;
  /** What a Shift-drag marks where no resonance is read. */
  onBracket: (to: Range) => void;
};

/** Curves that are drawn together: all, or one place after the other. */
function groups(traces: Trace[], look: PanelLook): Trace[][] {
  if (!look.arrange || look.arrange === "together") return [traces];
  const keys = [...new Set(traces.map((t) => t.name))];
  return keys.map((k) => traces.filter((t) => t.name === k));
}

export function Cuts(p: Props) {
  const [asked, setAsked] = useState<Range>();
  // How the force goes with speed, or the number of the channel that measured it.
  const [force, setForce] = useState<Exclude<Force, "measured"> | number>("unbalance");
  const [half, setHalf] = useState(false);
  // What all names begin with says nothing: “order 1, ” of cuts of order 1 alone.
  const first = p.own.traces[0]?.name.match(/^order [\d.]+, /)?.[0] ?? "";
  const shared = p.own.traces.every((t) => t.name.startsWith(first)) ? first : "";
  const cuts = p.recipe.lens === "order_track" && p.own.axes[0]?.name === "speed";
  const kind = lensOf(p.recipe.lens);
  const forces = p.own.traces.filter(
    (t, i, all) => t.unit.endsWith("N") && all.findIndex((o) => o.channel === t.channel) === i,
  );
  // Asked again whenever range or settings change, and gone until it is there: a reading is always one of the
  // curves that are shown.
  const reading = useQuery({
    queryKey: ["resonance", p.run, p.recipe, p.own.traces.length, asked, force],
    enabled: cuts && asked !== undefined,
    retry: false,
    queryFn: ({ signal }) => {
      const [from_rpm, to_rpm] = asked as Range;
      const how = typeof force === "number" ? { force: "measured" as const, force_channel: force } : { force };
      const ask = { read: "resonance" as const, from_rpm, to_rpm, ...how };
      const asks = p.own.traces.map((_, trace) => ({ trace, ask }));
      const body = { recipe: p.recipe as never, asks };
      return told(api.POST("/api/runs/{id}/readings", { params: { path: { id: p.run } }, body, signal }));
    },
  });
  const reads = cuts && asked ? (reading.data ?? []) : [];
  // biome-ignore lint/correctness/useExhaustiveDependencies: reads follow the query's data
  const drawn = useMemo(() => withFits(p.result, p.own, reads), [p.result, p.own, reading.data, asked, cuts]);
  const onBracket = (to: Range) => (cuts ? setAsked(to) : p.onBracket(to));
  // Coherence belongs to all of a response's curves.
  const all = groups(drawn, p.look);
  const several = all.length > 1;
  return (
    <>
      <div
        className={`min-h-40 flex-1 ${several ? `grid auto-rows-[minmax(150px,1fr)] overflow-auto ${p.look.arrange === "grid" ? "grid-cols-2" : ""}` : "flex flex-col"}`}
      >
        {all.map((traces) => (
          <div key={traces[0]?.name} className="flex min-h-0 min-w-0 flex-1 flex-col">
            {several && <p className="truncate px-3 text-[12px] text-soft">{traces[0]?.name}</p>}
            {p.look.view === "polar" ? (
              <Polar label={`${kind.says}, polar`} result={p.result} traces={traces} look={p.look} range={p.range} />
            ) : (
              <Bode
                label={kind.says}
                result={p.result}
                traces={traces}
                look={p.look}
                onLook={p.onLook}
                yWords={p.yWords}
                // With a fit over the curves what is saved is what is shown.
                whole={reads.length ? undefined : p.whole}
                range={p.range}
                onZoom={p.onZoom}
                onBack={p.onBack}
                onBracket={onBracket}
              />
            )}
          </div>
        ))}
      </div>
      {cuts && (
        <p className="px-3 pb-1 text-[12px] text-soft">
          {asked ? "Resonance between " : "Shift-drag over a peak reads the resonance there; or type its range: "}
          <RangeWord
            label="Range of a resonance"
            value={asked}
            none="none"
            unit="rpm"
            low={0}
            show={([a, b]) => `${digits(a, 4)} to ${digits(b, 4)} rpm`}
            width="19ch"
            onSet={setAsked}
          />
          {asked && (
            <>
              {" "}
              under{" "}
              <ChosenWord
                label="Force"
                value={force}
                options={[
                  { value: "unbalance", says: "unbalance (force grows with speed squared)", face: "unbalance" },
                  { value: "constant", says: "a constant force" },
                  ...forces.map((t) => ({
                    value: t.channel,
                    says: `a force measured by ${t.name.replace(/^order [\d.]+, /, "")}`,
                  })),
                ]}
                onSet={(to) => setForce(to as typeof force)}
              />
              {reading.isFetching && " · fitting …"}{" "}
              <Button look="link" onClick={() => setHalf(!half)}>
                {half ? "Without half power" : "Half power too"}
              </Button>{" "}
              <Button look="link" onClick={() => setAsked(undefined)}>
                Clear readings
              </Button>
            </>
          )}
        </p>
      )}
      {reading.error && asked && <p className="px-3 pb-1 text-[12px] text-reef">{reading.error.message}</p>}
      {reads.length > 0 && (
        <div className="max-h-[30%] shrink-0 overflow-auto px-3 pb-1">
          <table className="w-full text-[11.5px] tabular-nums leading-[15px] whitespace-nowrap" aria-label="Resonances">
            <tbody>
              {reads.map((read, i) => (
                <Resonance
                  key={p.own.traces[i]?.name}
                  name={(p.own.traces[i]?.name ?? "").replace(shared, "")}
                  read={read}
                  half={half}
                />
              ))}
            </tbody>
          </table>
        </div>
      )}
    </>
  );
}

/** The curves that are shown, and over each the fit at the speeds it was made for. */
function withFits(shown: Analysis, own: Analysis, reads: Read[]): Trace[] {
  const x = shown.axes[0]?.values ?? [];
  const fits = reads.flatMap((read, i): Trace[] => {
    const [t, mode] = [own.traces[i], read.mode];
    if (!t || !mode) return [];
    const at = new Map(mode.at_rpm.map((rpm, k) => [rpm, k]));
    const along = (values: number[]) => x.map((rpm) => values[at.get(rpm) ?? -1] ?? Number.NaN);
    return [{ ...t, name: `fit of ${t.name}`, re: along(mode.re), im: along(mode.im) }];
  });
  return fits.length ? [...shown.traces, ...fits] : shown.traces;
}

/** What a mode fitted to the curve tells, and below it what half power does, where asked for or alone. */
function Resonance({ name, read, half }: { name: string; read: Read; half: boolean }) {
  const { mode, resonance } = read;
  const first = (
    <th scope="row" className="max-w-20 truncate pr-1 text-left font-normal text-mark" title={name}>
      {name}
    </th>
  );
  if (!mode && !resonance)
    return (
      <tr className="border-t border-rule align-top">
        {first}
        <td colSpan={4} className="text-reef whitespace-normal">
          {read.refused}
        </td>
      </tr>
    );
  const curves = mode?.curves === 1 ? "this curve" : `${mode?.curves} curves together`;
  return (
    <>
      {mode && (
        <tr
          className="border-t border-rule align-top"
          data-resonance="fit"
          title={`fit of ${curves}, ${digits(100 * mode.unexplained, 1)} % of them unexplained; at ${digits(mode.rpm, 5)} rpm; ± is twice the standard uncertainty`}
        >
          {first}
          <td className="pr-1">
            <b>
              {digits(mode.frequency_hz, 5)} ± {digits(mode.frequency_within_hz, 1)} Hz
            </b>
          </td>
          <td className="pr-1">
            <b>
              damping {digits(100 * mode.damping, 3)} ± {digits(100 * mode.damping_within, 1)} %
            </b>
          </td>
          <td className="pr-1">Q {digits(mode.amplification, 3)}</td>
          <td>
            {digits(mode.amplitude, 3)} {read.unit} peak
          </td>
        </tr>
      )}
      {resonance && (half || !mode) && (
        <tr className="align-top text-soft" data-resonance="half power">
          {mode ? <td className="pr-1">by half power</td> : first}
          <td className="pr-1">{digits(resonance.frequency_hz, 4)} Hz</td>
          <td className="pr-1">damping {digits(100 * resonance.damping, 3)} %</td>
          <td className="pr-1">{digits(resonance.phase_change_deg, 3)}°</td>
          <td>
            {digits(resonance.amplitude, 3)} {read.unit} highest
          </td>
        </tr>
      )}
      {read.missing && (half || !mode) && (
        <tr className="text-soft">
          <td colSpan={5} className="whitespace-normal">
            {read.missing}
          </td>
        </tr>
      )}
    </>
  );
}
