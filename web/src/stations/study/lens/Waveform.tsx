/** The waveform of the bracket: from the pyramid, smallest and largest behind every pixel, or through its preparation. */

import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import type { Analysis, RunDetail } from "../../../api/client";
import { type Envelope, overview } from "../../../api/queries";
import { axisName } from "../../../ui/format";
import { Wrong } from "../../../ui/Panel";
import { type Curve, type Mark, Plot, type Range } from "../../../ui/plot/Plot";
import type { Panel, PanelLook } from "../bench";
import type { Laid } from "../laid";
import { corrected, recipeOf, rowOf } from "../rows";
import { axesOf, looked } from "./Curves";
import type { Step } from "./Prepare";
import { TableBody } from "./TableBody";
import { useResult } from "./useResult";

const POINTS = 900;
/** Samples up to which a table has each of them. */
const EACH = 20_000;

type Props = {
  run: RunDetail;
  panel: Panel;
  channels: number[];
  bracket: Range;
  laid: Laid[];
  marks: Mark[];
  onBracket: (to: Range) => void;
  onBracketBack: () => void;
  onLook: (part: Partial<PanelLook>) => void;
};

/** What a channel measures, with its unit. */
const quantityOf = (run: RunDetail, channel: number | undefined) => {
  const row = rowOf(run, channel ?? 1);
  const quantity = run.channels.find((c) => c.channel === channel)?.recorded.quantity;
  return axisName(quantity, row?.unit);
};

/** Stretches of other runs that lie behind the bracket, each channel found by its name. */
async function others(run: RunDetail, laid: Laid[], channels: number[], [from, to]: Range, signal: AbortSignal) {
  const curves: Curve[] = [];
  for (const l of laid) {
    const [a, b] = [from + l.shift_s, to + l.shift_s];
    const known = channels.flatMap((c) => {
      const name = rowOf(run, c)?.name;
      const there = l.run.channels.find((r) => r.recorded.name === name);
      return there ? [there.channel] : [];
    });
    if (known.length === 0 || b <= 0 || a >= l.run.duration_s) continue;
    const [lo, hi] = [Math.max(a, 0), Math.min(b, l.run.duration_s)];
    // As many points as its share of the bracket, so that they stand where the bracket's own stand.
    const points = Math.max(Math.round((POINTS * (hi - lo)) / (b - a)), 1);
    const skip = Math.round((POINTS * (lo - a)) / (b - a));
    for (const e of await overview(l.run.id, known, lo, hi, points, signal)) {
      const spread = (v: Float32Array) => {
        const out = new Float32Array(POINTS).fill(Number.NaN);
        out.set(v.subarray(0, POINTS - skip), skip);
        return out;
      };
      const name = l.run.channels.find((r) => r.channel === e.channel)?.recorded.name ?? "";
      curves.push({ name: `${name}, run ${l.run.number}`, low: spread(e.low), high: spread(e.high) });
    }
  }
  return curves;
}

function ofResult(result: Analysis | undefined): Envelope[] {
  const low = result?.traces.filter((t) => t.quantity === "min") ?? [];
  const high = result?.traces.filter((t) => t.quantity === "max") ?? [];
  const floats = (v: number[]) => Float32Array.from(v, (x) => x ?? Number.NaN);
  return low.map((t, i) => ({ channel: t.channel, low: floats(t.values), high: floats(high[i]?.values ?? []) }));
}

export function Waveform({ run, panel, channels, bracket, laid, marks, onLook, onBracket, onBracketBack }: Props) {
  const [from, to] = bracket;
  const steps = (panel.recipe.prepare ?? []) as Step[];
  const held = Math.floor((to - from) * run.sample_rate_hz);
  const table = panel.look.view === "table";
  // Recorded channels as they are come from the pyramid; everything else is computed.
  const through = table ? channels : steps.length ? channels : channels.filter((c) => c > run.channels.length);
  const plain = channels.filter((c) => !through.includes(c));
  const data = useQuery({
    queryKey: ["waveform", run.id, plain, from, to, corrected(run)],
    enabled: plain.length > 0,
    queryFn: ({ signal }) => overview(run.id, plain, from, to, POINTS, signal),
    placeholderData: keepPreviousData,
  });
  const reduce = table && held <= EACH ? { reduce: "none" } : { reduce: "minmax", points: POINTS };
  const recipe = recipeOf(run, { ...panel.recipe, lens: "waveform", ...reduce }, through, bracket);
  const computed = useResult(run, { recipe, query: {} }, through.length > 0);
  const over = useQuery({
    queryKey: ["waveform-laid", run.id, laid.map((l) => [l.run.id, l.shift_s, corrected(l.run)]), channels, from, to],
    enabled: laid.length > 0,
    queryFn: ({ signal }) => others(run, laid, channels, bracket, signal),
    placeholderData: keepPreviousData,
  });
  const wave = useMemo(() => {
    const found = [...(plain.length ? (data.data ?? []) : []), ...(through.length ? ofResult(computed.data) : [])];
    const ordered = channels.flatMap((c) => found.filter((e) => e.channel === c));
    const n = ordered[0]?.high.length ?? 0;
    return {
      x: Float64Array.from({ length: n }, (_, i) => from + ((i + 0.5) / n) * (to - from)),
      curves: [
        ...ordered
          .filter((e) => e.high.length === n)
          .map((e) => ({ name: rowOf(run, e.channel)?.name ?? String(e.channel), high: e.high, low: e.low })),
        ...(n === POINTS && laid.length ? (over.data ?? []) : []),
      ],
    };
  }, [run, data.data, computed.data, over.data, to, from, channels, plain.length, through.length, laid.length]);
  const zoom = (range: Range) => range[1] - range[0] >= 4 / run.sample_rate_hz && onBracket(range);
  return (
    <>
      <Wrong error={data.error ?? (through.length ? computed.error : null)} />
      {table && computed.data ? (
        <TableBody result={computed.data} traces={computed.data.traces} />
      ) : (
        <Plot
          label="Waveform of the bracket"
          x={wave.x}
          curves={wave.curves}
          range={bracket}
          xLabel="time, s"
          yLabel={quantityOf(run, channels[0])}
          axes={axesOf(panel.look, false)}
          onAxes={(to) => onLook(looked(to, axesOf(panel.look, false)))}
          marks={marks}
          onZoom={zoom}
          onBracket={zoom}
          onBack={onBracketBack}
        />
      )}
    </>
  );
}
