/** Waveform, strip and spectrum: the plots that recorded data are shown in too, fed live. */
import { useMemo, useRef } from "react";
import { usePicture } from "../../../api/live";
import { type Curve, Legend, Plot, type PlotHandle } from "../../../ui/Plot";
import type { PaneProps } from "./paneProps";

const POINTS = 700;

const names = (p: PaneProps) => p.shown.map((c) => c.name);
const inputsOf = (p: PaneProps) => p.shown.map((c) => c.input);

/** Envelopes of a picture that holds all smallest, then all largest values of each input. */
function envelopes(inputs: number[], points: number, values: Float32Array): Curve[] {
  return inputs.map((input, i) => ({
    name: String(input),
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

function Framed({ p, children }: { p: PaneProps; children: React.ReactNode }) {
  return (
    <div className="relative flex min-h-0 flex-1 flex-col">
      <div className="absolute top-0 right-3 z-10">
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
    handle.current?.draw(x, envelopes(inputs, n, values));
  });
  return (
    <Framed p={p}>
      <Plot label="Live waveform" x={[]} curves={useEmpty(p, true)} xLabel="time before now, s" handle={handle} />
    </Framed>
  );
}

export function StripPane(p: PaneProps) {
  const handle = useRef<PlotHandle>(null);
  const whole = !p.pane.seconds;
  const show = { show: "strip" as const, inputs: inputsOf(p), seconds: p.pane.seconds ?? undefined, points: POINTS };
  usePicture(p.frozen ? undefined : show, ({ inputs, points: n, seconds, values }) => {
    const x = Float64Array.from({ length: n }, (_, i) => (i / Math.max(n - 1, 1) - (whole ? 0 : 1)) * seconds);
    handle.current?.draw(x, envelopes(inputs, n, values));
  });
  return (
    <Framed p={p}>
      <Plot
        label="Strip"
        x={[]}
        curves={useEmpty(p, true)}
        xLabel={whole ? "time since the recording began, s" : "time before now, s"}
        handle={handle}
      />
    </Framed>
  );
}

export function SpectrumPane(p: PaneProps) {
  const handle = useRef<PlotHandle>(null);
  const held = useRef(new Map<string, Float32Array>());
  const { block, to_hz, hold, averages, unit, envelope_hz } = p.pane;
  const show = {
    show: "spectrum" as const,
    inputs: inputsOf(p),
    block: block ?? 8192,
    to_hz: to_hz ?? undefined,
    averages: averages ?? undefined,
    unit: unit ?? undefined,
    envelope_hz: (envelope_hz ?? undefined) as [number, number] | undefined,
  };
  usePicture(p.frozen ? undefined : show, ({ inputs, lines: n, line_hz, values }) => {
    const x = Float64Array.from({ length: n }, (_, i) => i * line_hz);
    const now = inputs.map((input, i): Curve => ({ name: String(input), high: values.subarray(i * n, (i + 1) * n) }));
    if (!hold) {
      held.current.clear();
      return handle.current?.draw(x, now);
    }
    const most = now.map((c): Curve => {
      const key = `${c.name} ${n} ${line_hz} ${unit} ${envelope_hz}`;
      const before = held.current.get(key);
      const high = Float32Array.from(c.high, (v, i) => Math.max(v, before?.[i] ?? 0));
      held.current.set(key, high);
      return { name: `${c.name} largest`, high };
    });
    handle.current?.draw(x, [...now, ...most]);
  });
  const lines = useEmpty(p, false);
  const curves = useMemo(
    () => (hold ? [...lines, ...lines.map((c) => ({ ...c, name: `${c.name} largest` }))] : lines),
    [lines, hold],
  );
  return (
    <Framed p={p}>
      <Plot label="Live spectrum" x={[]} curves={curves} logY xLabel="frequency, Hz" handle={handle} />
    </Framed>
  );
}
