/** Waveform, strip and spectrum: the plots that recorded data are shown in too, fed live. */

import { useMemo, useRef } from "react";
import { usePicture } from "../../../api/live";
import { axisName } from "../../../ui/format";
import { type Curve, Legend, Plot, type PlotHandle } from "../../../ui/plot/Plot";
import type { PaneProps } from "./paneProps";

const POINTS = 700;

const names = (p: PaneProps) => p.shown.map((c) => c.name);
const inputsOf = (p: PaneProps) => p.shown.map((c) => c.input);

/** Envelopes of a picture that holds all smallest, then all largest values of each input. */
function envelopes(p: PaneProps, inputs: number[], points: number, values: Float32Array): Curve[] {
  return inputs.map((input, i) => ({
    name: p.channels.find((c) => c.input === input)?.name ?? String(input),
    low: values.subarray(2 * i * points, (2 * i + 1) * points),
    high: values.subarray((2 * i + 1) * points, (2 * i + 2) * points),
  }));
}

function useEmpty(p: PaneProps, enveloped: boolean) {
  const key = inputsOf(p).join();
  return useMemo(
    () => key.split(",").map((name): Curve => (enveloped ? { name, high: [], low: [] } : { name, high: [] })),
    [key, enveloped],
  );
}

/** What the curves show, with the unit of the first: what is shown together has one. */
function labelOf(p: PaneProps): string {
  const first = p.shown[0];
  return axisName(first?.quantity, first?.unit);
}

function Framed({ p, children }: { p: PaneProps; children: React.ReactNode }) {
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <div className="flex px-3 leading-4">
        <Legend names={names(p)} />
      </div>
      {children}
    </div>
  );
}

export function WaveformPane(p: PaneProps) {
  const handle = useRef<PlotHandle>(null);
  const inputs = inputsOf(p);
  const show = { show: "waveform" as const, inputs, seconds: p.pane.seconds ?? 0.2, points: POINTS };
  usePicture(p.frozen ? undefined : show, ({ inputs, points: n, seconds, values }) => {
    const x = Float64Array.from({ length: n }, (_, i) => (i / (n - 1) - 1) * seconds);
    handle.current?.draw(x, envelopes(p, inputs, n, values));
  });
  return (
    <Framed p={p}>
      <Plot
        label="Live waveform"
        x={[]}
        curves={useEmpty(p, true)}
        xLabel="time before now, s"
        yLabel={labelOf(p)}
        handle={handle}
      />
    </Framed>
  );
}

export function StripPane(p: PaneProps) {
  const handle = useRef<PlotHandle>(null);
  const whole = !p.pane.seconds;
  const show = { show: "strip" as const, inputs: inputsOf(p), seconds: p.pane.seconds ?? undefined, points: POINTS };
  usePicture(p.frozen ? undefined : show, ({ inputs, points: n, seconds, values }) => {
    const x = Float64Array.from({ length: n }, (_, i) => (i / Math.max(n - 1, 1) - (whole ? 0 : 1)) * seconds);
    handle.current?.draw(x, envelopes(p, inputs, n, values));
  });
  return (
    <Framed p={p}>
      <Plot
        label="Strip"
        x={[]}
        curves={useEmpty(p, true)}
        xLabel={whole ? "time since the recording began, s" : "time before now, s"}
        yLabel={labelOf(p)}
        handle={handle}
      />
    </Framed>
  );
}

export function SpectrumPane(p: PaneProps) {
  const handle = useRef<PlotHandle>(null);
  const { block, to_hz, hold, averages, unit, envelope_hz } = p.pane;
  // Another number begins anew: what is held is held since it was switched on.
  const since = useRef({ hold: false, number: 0 });
  if (hold && !since.current.hold) since.current.number = Date.now();
  since.current.hold = hold === true;
  const show = {
    show: "spectrum" as const,
    inputs: inputsOf(p),
    block: block ?? 8192,
    to_hz: to_hz ?? undefined,
    averages: averages ?? undefined,
    unit: unit ?? undefined,
    envelope_hz: (envelope_hz ?? undefined) as [number, number] | undefined,
    ...(hold ? { hold: since.current.number } : {}),
  };
  usePicture(p.frozen ? undefined : show, ({ inputs, lines: n, line_hz, values }) => {
    const x = Float64Array.from({ length: n }, (_, i) => i * line_hz);
    const name = (input: number) => p.channels.find((c) => c.input === input)?.name ?? String(input);
    const curve = (says: string, k: number): Curve => ({ name: says, high: values.subarray(k * n, (k + 1) * n) });
    const now = inputs.map((input, i) => curve(name(input), i));
    const most = hold ? inputs.map((input, i) => curve(`${name(input)} largest`, inputs.length + i)) : [];
    handle.current?.draw(x, [...now, ...most]);
  });
  const lines = useEmpty(p, false);
  const spectral = `${envelope_hz ? "envelope, " : ""}amplitude, ${unit ?? p.shown[0]?.unit ?? ""}`;
  const curves = useMemo(
    () => (hold ? [...lines, ...lines.map((c) => ({ ...c, name: `${c.name} largest` }))] : lines),
    [lines, hold],
  );
  return (
    <Framed p={p}>
      <Plot
        label="Live spectrum"
        x={[]}
        curves={curves}
        logY
        xLabel="frequency, Hz"
        yLabel={spectral}
        handle={handle}
      />
    </Framed>
  );
}
