/** Complex curves: amplitude over phase, or real over imaginary part; what is real among them below. */

import { type ReactNode, useMemo } from "react";
import type { Analysis } from "../../../api/client";
import { amplitude } from "../../../ui/complex";
import { NumberWord } from "../../../ui/EntryWord";
import { axisName } from "../../../ui/format";
import { fileCurves, type PlotFile } from "../../../ui/plot/file";
import { type Curve, Legend, Plot, type Range } from "../../../ui/plot/Plot";
import { ChosenWord } from "../../../ui/Word";
import type { PanelLook } from "../bench";
import { axesOf, axisLabel, labelOf, looked, scaled } from "./Curves";
import type { Overlaid } from "./overlay";
import { coherenceOf, part, phases } from "./phase";

type Trace = Analysis["traces"][number];

export type ComplexProps = {
  label: string;
  result: Overlaid;
  traces: Trace[];
  look: PanelLook;
  onLook: (part: Partial<PanelLook>) => void;
  yWords?: ReactNode;
  whole?: (() => Promise<Overlaid>) | undefined;
  logX?: boolean;
  range?: Range | undefined;
  onZoom: (to: Range) => void;
  onBack: () => void;
  onBracket: (to: Range) => void;
};

/** Panes of complex curves from top to bottom. */
function panesOf(traces: Trace[], look: PanelLook, result: Overlaid) {
  const complex = traces.filter((t) => t.re);
  const plain = traces.filter((t) => !t.re);
  const turn = look.turn ?? 0;
  const parts = look.view === "parts";
  const line = (name: string, high: number[]): Curve => ({ name, high, spans: result.joined ?? false });
  return {
    complex,
    plain,
    high: complex.map((t) => line(t.name, parts ? part(t, "re", turn) : scaled(amplitude(t), look, t.quantity))),
    low: complex.map((t) =>
      // Where the phase says nothing there is no line through it either.
      parts
        ? line(t.name, part(t, "im", turn))
        : {
            ...line(t.name, phases(t, look, coherenceOf(t, traces))),
            spans: result.joined === true && !look.phase_from,
          },
    ),
    beside: plain.map((t) => ({ name: t.name, high: t.values })),
  };
}

const PHASE: Range = [-180, 180];

export function Bode({ label, result, traces, look, onLook, yWords, whole, logX = false, range, ...on }: ComplexProps) {
  const panes = useMemo(() => panesOf(traces, look, result), [traces, look, result]);
  const { complex, plain, high, low, beside } = panes;
  const parts = look.view === "parts";
  const axes = axesOf(look, logX);
  const xLabel = axisLabel(result.axes[0]);
  const first = complex[0];
  const unit = first?.unit ?? "";
  const labels = {
    high: parts ? axisName("real part", unit) : labelOf(first, look),
    low: parts ? axisName("imaginary part", unit) : "phase, °",
    beside: labelOf(plain[0], {}),
  };
  const onAxes = (to: typeof axes) => onLook(looked(to, axes));
  const file = async (): Promise<PlotFile> => {
    const all = (await whole?.()) ?? result;
    const named = new Set(traces.map((t) => t.name));
    const full = panesOf(whole ? all.traces.filter((t) => named.has(t.name)) : traces, look, all);
    const wrapped = !parts && !look.unwrapped;
    return {
      title: label,
      size: [760, beside.length ? 620 : 500],
      x: {
        label: xLabel,
        values: all.axes[0]?.values ?? [],
        log: axes.logX ?? false,
        from: range?.[0] ?? null,
        to: range?.[1] ?? null,
      },
      panes: [
        {
          label: labels.high,
          log: look.scale === "log" && !parts,
          from: axes.y?.[0] ?? null,
          to: axes.y?.[1] ?? null,
          curves: fileCurves(full.high),
        },
        {
          label: labels.low,
          share: 0.6,
          from: wrapped ? -180 : null,
          to: wrapped ? 180 : null,
          curves: fileCurves(full.low),
        },
        ...(full.beside.length ? [{ label: labels.beside, share: 0.4, from: 0, curves: fileCurves(full.beside) }] : []),
      ],
      notes: [],
    };
  };
  const phaseWords = !parts && (
    <>
      <p>
        The phase{" "}
        <ChosenWord
          label="Course of the phase"
          value={look.unwrapped ? "on" : "turned"}
          options={[
            { value: "turned", says: "turns at ±180°" },
            { value: "on", says: "runs on" },
          ]}
          onSet={(v) => onLook({ unwrapped: v === "on" })}
        />
      </p>
      <p>
        and is hidden where {plain.length ? "the coherence" : "the amplitude"} is below{" "}
        <NumberWord
          label="Phase hidden below"
          value={look.phase_from === undefined ? undefined : 100 * look.phase_from}
          none="nothing"
          unit="%"
          low={0}
          high={100}
          onSet={(x) => onLook({ phase_from: x ? x / 100 : undefined } as Partial<PanelLook>)}
        />
        {plain.length === 0 && " of its largest"}.
      </p>
    </>
  );
  const shared = { x: result.axes[0]?.values ?? [], range, xLabel, axis: xLabel, ...on };
  return (
    <>
      {complex.length > 1 && (
        <div className="px-3">
          <Legend names={complex.map((t) => t.name)} />
        </div>
      )}
      <div className="flex min-h-0 flex-[2] flex-col">
        <Plot
          label={parts ? `${label}, real part` : label}
          curves={high}
          {...shared}
          xLabel=""
          yLabel={labels.high}
          axes={{ ...axes, logY: look.scale === "log" && !parts }}
          onAxes={onAxes}
          oneScale={parts || look.scale === "db"}
          yWords={yWords}
          file={null}
        />
      </div>
      <div className="flex min-h-0 flex-1 flex-col">
        <Plot
          label={`${label}, ${parts ? "imaginary part" : "phase in degrees"}`}
          curves={low}
          {...shared}
          xLabel={beside.length ? "" : xLabel}
          yLabel={labels.low}
          axes={{ logX: axes.logX ?? false, ...(parts || look.unwrapped ? {} : { y: PHASE }) }}
          onAxes={onAxes}
          oneScale
          yWords={phaseWords}
          file={beside.length ? null : file}
        />
      </div>
      {beside.length > 0 && (
        <div className="flex min-h-0 flex-[0.7] flex-col">
          <Plot
            label={`${label}, ${plain[0]?.quantity}`}
            curves={beside}
            yMin={0}
            {...shared}
            yLabel={labels.beside}
            axes={{ logX: axes.logX ?? false }}
            onAxes={onAxes}
            oneScale
            file={file}
          />
        </div>
      )}
    </>
  );
}
