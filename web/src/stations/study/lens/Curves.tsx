/** Curves of a result over one axis, on a linear, logarithmic or decibel scale. */

import { type ReactNode, useMemo } from "react";
import type { Analysis } from "../../../api/client";
import { amplitude } from "../../../ui/complex";
import { axisName } from "../../../ui/format";
import { fileCurves, type PlotFile } from "../../../ui/plot/file";
import { type Axes, type Curve, Legend, type Mark, Plot, type Range } from "../../../ui/plot/Plot";
import type { PanelLook } from "../bench";
import type { Overlaid } from "./overlay";

type Trace = Analysis["traces"][number];

/** Values as they are drawn: in dB powers count half. */
export function scaled(values: number[], look: PanelLook, quantity: string): number[] {
  if (look.scale !== "db") return values;
  const power = ["PSD", "ESD", "power", "cross PSD"].includes(quantity);
  const reference = look.db_reference ?? 1;
  return values.map((v) => (power ? 10 * Math.log10(v / reference ** 2) : 20 * Math.log10(v / reference)));
}

/** Name and unit of what curves show. */
export function labelOf(t: Trace | undefined, look: PanelLook): string {
  if (!t) return "";
  if (look.scale === "db") return `${t.quantity}, dB re ${look.db_reference ?? 1} ${t.unit}`.trim();
  return axisName(t.quantity, t.unit);
}

export const axisLabel = (axis: Analysis["axes"][number] | undefined) => axisName(axis?.name, axis?.unit);

/** Scales and limits of a panel's plot, and how they are kept. */
export const axesOf = (look: PanelLook, logX: boolean): Axes => ({
  logX: look.log_x ?? logX,
  logY: look.scale === "log",
  ...(look.limits ? { y: look.limits } : {}),
});
export const looked = (to: Axes, was: Axes): Partial<PanelLook> => ({
  ...(to.logX !== was.logX ? { log_x: to.logX ?? false } : {}),
  ...(to.logY !== was.logY ? { scale: to.logY ? ("log" as const) : ("linear" as const) } : {}),
  limits: to.y,
});

const curvesOf = (traces: Trace[], look: PanelLook, result: Overlaid, steps: boolean): Curve[] =>
  traces.map((t) => ({
    name: t.name,
    high: scaled(amplitude(t), look, t.quantity),
    ...(result.joined ? { spans: true } : {}),
    ...(steps ? { steps } : {}),
  }));

type Props = {
  label: string;
  result: Overlaid;
  traces: Trace[];
  look: PanelLook;
  onLook: (part: Partial<PanelLook>) => void;
  /** What else is set at the vertical axis. */
  yWords?: ReactNode;
  /** The result with every point, for files. */
  whole?: (() => Promise<Overlaid>) | undefined;
  logX?: boolean;
  /** Values that hold until the next, as in a distribution. */
  steps?: boolean;
  range?: Range | undefined;
  marks?: Mark[];
  band?: Range | undefined;
  legend?: boolean;
  onZoom: (to: Range) => void;
  onBack: () => void;
  onBracket?: (to: Range) => void;
  onPoint?: (x: number, perPixel: number) => void;
};

export function Curves({ label, result, traces, look, onLook, yWords, whole, logX = false, ...p }: Props) {
  const { steps = false, range, marks, legend, ...on } = p;
  const axis = result.axes[0];
  const curves = useMemo(() => curvesOf(traces, look, result, steps), [traces, look, result, steps]);
  if (!axis) return null;
  const xLabel = axisLabel(axis);
  const axes = axesOf(look, logX);
  const yLabel = labelOf(traces[0], look);
  const file = async (): Promise<PlotFile> => {
    const all = (await whole?.()) ?? result;
    const same = all.traces.filter((t) =>
      traces.some((shown) => shown.name === t.name && shown.quantity === t.quantity),
    );
    return {
      title: traces.length === 1 ? `${label}, ${traces[0]?.name}` : label,
      size: [760, 340],
      x: {
        label: xLabel,
        values: all.axes[0]?.values ?? [],
        log: axes.logX ?? false,
        from: range?.[0] ?? null,
        to: range?.[1] ?? null,
      },
      panes: [
        {
          label: yLabel,
          log: axes.logY ?? false,
          from: axes.y?.[0] ?? null,
          to: axes.y?.[1] ?? null,
          curves: fileCurves(curvesOf(same, look, all, steps)),
        },
      ],
      notes: (marks ?? []).map((m) => ({ at: m.x, says: m.says })),
    };
  };
  return (
    <>
      {legend && traces.length > 1 && (
        <div className="px-3">
          <Legend names={traces.map((t) => t.name)} />
        </div>
      )}
      <Plot
        label={label}
        x={axis.values}
        curves={curves}
        xLabel={xLabel}
        yLabel={yLabel}
        axes={axes}
        onAxes={(to) => onLook(looked(to, axes))}
        oneScale={look.scale === "db"}
        yWords={yWords}
        range={range}
        file={file}
        {...(marks ? { marks } : {})}
        {...on}
      />
    </>
  );
}
