/** Two directions of a shaft against each other, on a dial, with the places of its mark. */
import { useRef } from "react";
import { usePicture } from "../../../api/live";
import { dial, pen, roundUp, useCanvas } from "../../../ui/canvas";
import { short } from "../../../ui/format";
import type { PlotFile } from "../../../ui/plot/file";
import { SaveMenu } from "../../../ui/plot/SaveMenu";
import { colour } from "../../../ui/traces";
import type { PaneProps } from "./paneProps";

export function OrbitPane(p: PaneProps) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const scale = useRef(0);
  useCanvas(canvas);
  const [x, y] = p.shown;
  const show = x && y && { show: "orbit" as const, x: x.input, y: y.input, seconds: p.pane.seconds ?? 0.1 };
  const last = useRef<{ xs: Float32Array; ys: Float32Array; unit: string }>(undefined);
  usePicture(p.frozen ? undefined : show, ({ points, marks, unit, values }) => {
    const to = canvas.current && pen(canvas.current);
    if (!to) return;
    const { ctx, w, h } = to;
    const xs = values.subarray(0, points);
    const ys = values.subarray(points, 2 * points);
    last.current = { xs, ys, unit };
    const mean = (v: Float32Array) => v.reduce((s, a) => s + a, 0) / Math.max(v.length, 1);
    const [mx, my] = [mean(xs), mean(ys)];
    let most = 1e-12;
    for (let i = 0; i < points; i++) most = Math.max(most, Math.abs((xs[i] ?? 0) - mx), Math.abs((ys[i] ?? 0) - my));
    // The dial grows at once and shrinks only when it is far too wide, so that it does not jitter.
    if (most > scale.current || most < scale.current / 3) scale.current = roundUp(most * 1.1);
    const r = Math.min(w, h) / 2 - 18;
    const at = (i: number): [number, number] => [
      w / 2 + (((xs[i] ?? 0) - mx) / scale.current) * r,
      h / 2 - (((ys[i] ?? 0) - my) / scale.current) * r,
    ];
    ctx.clearRect(0, 0, w, h);
    dial(ctx, w, h, r);
    ctx.fillStyle = colour("ink-soft");
    ctx.font = '11px "JetBrains Mono Variable"';
    ctx.fillText(`${short(scale.current)} ${unit}`, w / 2 + r * 0.71 + 6, h / 2 - r * 0.71 - 4);
    ctx.strokeStyle = colour("ink");
    ctx.lineWidth = 1.25;
    ctx.beginPath();
    for (let i = 0; i < points; i++) ctx.lineTo(...at(i));
    ctx.stroke();
    ctx.fillStyle = colour("magenta");
    for (const m of marks) {
      ctx.beginPath();
      ctx.arc(...at(m), 4, 0, 7);
      ctx.fill();
    }
  });
  const file = (): PlotFile => {
    if (!last.current) throw new Error("Nothing is shown yet.");
    const { xs, ys, unit } = last.current;
    return {
      title: "Orbit",
      size: [700, 700],
      round: true,
      x: { label: `${x?.name}, ${unit}`, values: [] },
      panes: [{ label: `${y?.name}, ${unit}`, curves: [{ name: "orbit", x: [...xs], values: [...ys] }] }],
      notes: [],
    };
  };
  return (
    <div className="relative min-h-0 flex-1">
      <canvas ref={canvas} role="img" aria-label="Orbit" className="absolute inset-0 h-full w-full" />
      <SaveMenu label="Orbit" file={file} />
    </div>
  );
}
