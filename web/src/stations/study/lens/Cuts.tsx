/** Order cuts and responses; Shift-drag over a peak of a cut reads the resonance there. */
import { useState } from "react";
import { type Analysis, api, type Schema, told } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { digits } from "../../../ui/format";
import type { Range } from "../../../ui/Plot";
import { TypedWord } from "../../../ui/Word";
import type { PanelLook } from "../bench";
import { Bode, Polar } from "./Complex";
import { lensOf } from "./lenses";

type Read = Schema["ReadingBody"];
type Trace = Analysis["traces"][number];

type Props = {
  run: number;
  /** The recipe with channels and stretch. */
  recipe: { lens: string };
  /** The run's own result: what is laid over it is drawn, but not read. */
  own: Analysis;
  result: Analysis;
  look: PanelLook;
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
  const [reads, setReads] = useState<{ curve: string; read: Read }[]>([]);
  const cuts = p.recipe.lens === "order_track" && p.own.axes[0]?.name === "speed";
  const kind = lensOf(p.recipe.lens);
  const resonance = async ([from_rpm, to_rpm]: Range) => {
    const asks = p.own.traces.map((_, trace) => ({ trace, ask: { read: "resonance" as const, from_rpm, to_rpm } }));
    const body = { recipe: p.recipe as never, asks };
    const all = await told(api.POST("/api/runs/{id}/readings", { params: { path: { id: p.run } }, body }));
    setReads(all.map((read, i) => ({ curve: p.own.traces[i]?.name ?? "", read })));
  };
  const onBracket = (to: Range) => {
    if (cuts) resonance(to).catch((e: Error) => setReads([{ curve: "", read: { refused: e.message } as Read }]));
    else p.onBracket(to);
  };
  // Coherence belongs to all of a response's curves.
  const all = groups(p.result.traces, p.look);
  const several = all.length > 1;
  return (
    <>
      <div
        className={`min-h-0 flex-1 ${several ? `grid auto-rows-[minmax(150px,1fr)] overflow-auto ${p.look.arrange === "grid" ? "grid-cols-2" : ""}` : "flex flex-col"}`}
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
                range={p.range}
                onZoom={p.onZoom}
                onBack={p.onBack}
                onBracket={onBracket}
              />
            )}
          </div>
        ))}
      </div>
      {cuts && reads.length === 0 && (
        <p className="px-3 pb-1 text-[12px] text-soft">
          Shift-drag over a peak reads the resonance there; or type its range:{" "}
          <TypedWord
            label="Range of a resonance"
            value=""
            width="14ch"
            onSet={async (t) => {
              const [a, b] = (t.match(/\d+(?:\.\d+)?/g) ?? []).map(Number);
              if (a === undefined || b === undefined || a >= b)
                throw new Error(`“${t}”: allowed are two speeds in rpm, the lower first`);
              await resonance([a, b]);
            }}
          />
        </p>
      )}
      {reads.length > 0 && (
        <div className="max-h-32 shrink-0 overflow-auto px-3 pb-1 text-[12px] leading-4">
          <table className="w-full" aria-label="Resonances">
            <tbody>
              {reads.map(({ curve, read }) => (
                <tr key={curve} className="border-t border-rule">
                  <td className="text-mark">{curve}</td>
                  {read.resonance ? (
                    <td className="num" data-resonance>
                      {digits(read.resonance.rpm, 5)} rpm, {digits(read.resonance.frequency_hz, 4)} Hz,{" "}
                      {digits(read.resonance.amplitude, 3)} {read.unit}, Q {digits(read.resonance.amplification, 3)}, ζ{" "}
                      {digits(100 * read.resonance.damping, 3)} %, {digits(read.resonance.phase_change_deg, 3)}°
                    </td>
                  ) : (
                    <td className="text-reef">{read.refused}</td>
                  )}
                </tr>
              ))}
            </tbody>
          </table>
          <Button look="link" onClick={() => setReads([])}>
            Take them away
          </Button>
        </div>
      )}
    </>
  );
}
