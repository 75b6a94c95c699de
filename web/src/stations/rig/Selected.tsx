/** The selected channel: its last moments, and what follows from its settings. */
import { useEffect, useRef } from "react";
import type { Channel } from "../../api/client";
import { usePictures } from "../../api/live";
import { digits, withUnit } from "../../ui/format";
import { Panel } from "../../ui/Panel";
import { colour } from "../../ui/traces";

export function Selected({ channel }: { channel: Channel | undefined }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const on = channel?.on === true;
  usePictures(on ? { waveform: { inputs: [channel.input], seconds: 0.2, points: 290 } } : undefined, (p) => {
    if (p.kind === "waveform" && p.inputs[0] === channel?.input && canvas.current)
      paint(canvas.current, p.values, p.points);
  });
  useEffect(() => {
    if (!on) canvas.current?.getContext("2d")?.clearRect(0, 0, 9999, 999);
  }, [on]);
  if (!channel) return null;
  return (
    <Panel title={channel.name || `Input ${channel.input}`}>
      <div className="px-3 pb-2">
        <p className="text-[12px] leading-4 text-soft">
          input {channel.input}
          {channel.sensor && ` · ${channel.sensor}`}
        </p>
        <canvas
          ref={canvas}
          width={580}
          height={112}
          className="my-1 h-14 w-full"
          role="img"
          aria-label="Last fifth of a second"
        />
        <dl className="grid grid-cols-[auto_1fr] text-[13px]">
          <dt className="border-t border-rule py-0.5 text-soft">Full scale</dt>
          <dd className="num border-t border-rule py-0.5 text-right">
            ± {withUnit(channel.full_scale, channel.unit, 3)} pk
          </dd>
          <dt className="border-t border-rule py-0.5 text-soft">Converter step</dt>
          <dd className="num border-t border-rule py-0.5 text-right">
            {digits(channel.converter_step, 2)} {channel.unit}
          </dd>
        </dl>
      </div>
    </Panel>
  );
}

/** A quick drawing of smallest and largest values, to its own scale. */
function paint(c: HTMLCanvasElement, values: Float32Array, points: number) {
  const ctx = c.getContext("2d");
  if (!ctx) return;
  const low = values.subarray(0, points);
  const high = values.subarray(points, 2 * points);
  let lo = Number.POSITIVE_INFINITY;
  let hi = Number.NEGATIVE_INFINITY;
  for (let i = 0; i < points; i++) {
    if (Number.isFinite(low[i])) lo = Math.min(lo, low[i] as number);
    if (Number.isFinite(high[i])) hi = Math.max(hi, high[i] as number);
  }
  const room = (hi - lo || 1) * 1.1;
  const y = (v: number) => c.height * (0.5 - (v - (hi + lo) / 2) / room);
  ctx.clearRect(0, 0, c.width, c.height);
  ctx.strokeStyle = colour("ink");
  ctx.lineWidth = 1.5;
  ctx.beginPath();
  for (let i = 0; i < points; i++) {
    const x = (i / (points - 1)) * c.width;
    ctx.lineTo(x, y(high[i] as number));
    ctx.lineTo(x, y(low[i] as number));
  }
  ctx.stroke();
}
