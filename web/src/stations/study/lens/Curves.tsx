/** Curves of a result over one axis, on a linear, logarithmic or decibel scale. */
import { useMemo } from "react";
import type { Analysis } from "../../../api/client";
import { type Curve, Legend, type Mark, Plot, type Range } from "../../../ui/Plot";
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

export const amplitude = (t: Trace) => t.re?.map((re, i) => Math.hypot(re, t.im?.[i] ?? 0)) ?? t.values;

type Props = {
  label: string;
  result: Overlaid;
  traces: Trace[];
  look: PanelLook;
  logX?: boolean;
  range?: Range | undefined;
  marks?: Mark[];
  band?: Range | undefined;
  legend?: boolean;
  onZoom: (to: Range) => void;
  onBack: () => void;
  onBracket?: (to: Range) => void;
  onPoint?: (x: number, perPixel: number) => void;
};

export function Curves({ label, result, traces, look, logX, range, marks, legend, ...on }: Props) {
  const axis = result.axes[0];
  const curves: Curve[] = useMemo(
    () =>
      traces.map((t) => ({
        name: t.name,
        high: scaled(amplitude(t), look, t.quantity),
        ...(result.joined ? { spans: true } : {}),
      })),
    [traces, look, result.joined],
  );
  if (!axis) return null;
  const xLabel = [axis.name, axis.unit].filter(Boolean).join(", ");
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
        logY={look.scale === "log"}
        {...(logX ? { logX } : {})}
        range={range}
        {...(marks ? { marks } : {})}
        {...on}
      />
    </>
  );
}
