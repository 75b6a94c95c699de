/** Spectra one above the other, the newest on top: darker is more, in six decades. */
import { useCallback, useRef } from "react";
import { usePicture } from "../../../api/live";
import { pen, roundUp, useCanvas } from "../../../ui/canvas";
import { rate, short } from "../../../ui/format";
import type { PlotFile } from "../../../ui/plot/file";
import { SaveMenu } from "../../../ui/plot/SaveMenu";
import { shade } from "../../../ui/shade";
import { colour } from "../../../ui/traces";
import type { PaneProps } from "./paneProps";

const LEFT = 8;
const FOOT = 18;
const ROW = 3;
const DECADES = 4;

export function WaterfallPane(p: PaneProps) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const top = useRef(0);
  // Spectra that are on the screen, newest last, for files.
  const rows = useRef<{ at: number; values: Float32Array; line_hz: number; unit: string }[]>([]);
  const forget = useCallback(() => {
    top.current = 0;
  }, []);
  useCanvas(canvas, forget);
  const { block, to_hz } = p.pane;
  const one = p.shown.slice(0, 1).map((c) => c.input);
  const show = { show: "spectrum" as const, inputs: one, block: block ?? 4096, to_hz: to_hz ?? undefined };
  usePicture(p.frozen ? undefined : show, ({ lines, line_hz, values, units }) => {
    const el = canvas.current;
    const to = el && pen(el);
    if (!el || !to) return;
    const { ctx, w, h } = to;
    const same = rows.current.filter((r) => r.values.length === lines && r.line_hz === line_hz);
    const row_s = { at: performance.now() / 1000, values: values.slice(0, lines), line_hz, unit: units[0] ?? "" };
    rows.current = [...same, row_s].slice(-Math.ceil(h / ROW));
    const ratio = el.width / w;
    const most = values.subarray(1).reduce((a, b) => Math.max(a, b), 1e-12);
    // The darkest shade stands for a round number, so that it stays while levels wander.
    const round = roundUp(most);
    if (round > top.current) top.current = round;
    const wide = Math.max(Math.floor((w - 2 * LEFT) * ratio), 1);
    const row = Math.round(ROW * ratio);
    const high = Math.floor((h - FOOT) * ratio);
    ctx.setTransform(1, 0, 0, 1, 0, 0);
    ctx.drawImage(el, 0, 0, el.width, high - row, 0, row, el.width, high - row);
    const line = ctx.createImageData(wide, row);
    for (let x = 0; x < wide; x++) {
      // The largest line behind a pixel, so that no peak is lost.
      const from = Math.floor((x / wide) * lines);
      const to = Math.max(Math.floor(((x + 1) / wide) * lines), from + 1);
      let v = 0;
      for (let i = from; i < to && i < lines; i++) v = Math.max(v, values[i] ?? 0);
      const [r, g, b] = shade(1 + Math.log10(Math.max(v, 1e-30) / top.current) / DECADES);
      for (let y = 0; y < row; y++) line.data.set([r, g, b, 255], (y * wide + x) * 4);
    }
    ctx.putImageData(line, Math.round(LEFT * ratio), 0);
    ctx.setTransform(ratio, 0, 0, ratio, 0, 0);
    ctx.clearRect(0, h - FOOT, w, FOOT);
    ctx.fillStyle = colour("ink-soft");
    ctx.font = '11px "JetBrains Mono Variable"';
    const end = lines * line_hz;
    ctx.textAlign = "left";
    ctx.fillText("0", LEFT, h - 5);
    ctx.textAlign = "center";
    ctx.fillText(
      `${rate(end / 2)} · darkest ${short(top.current)} ${units[0] ?? ""}, ${DECADES} decades`,
      w / 2,
      h - 5,
    );
    ctx.textAlign = "right";
    ctx.fillText(rate(end), w - LEFT, h - 5);
  });
  const file = (): PlotFile => {
    const all = rows.current;
    const newest = all.at(-1);
    if (!newest || all.length < 2) throw new Error("Nothing is shown yet.");
    return {
      title: `Waterfall, ${p.shown[0]?.name ?? ""}`,
      size: [760, 460],
      x: { label: "frequency, Hz", values: Array.from(newest.values, (_, i) => i * newest.line_hz) },
      panes: [
        {
          label: "time before now, s",
          map: {
            rows: all.map((r) => r.at - newest.at),
            values: all.flatMap((r) => [...r.values]),
            label: `amplitude, ${newest.unit}`,
            decades: DECADES,
            shades: "tide",
          },
        },
      ],
      notes: [],
    };
  };
  return (
    <div className="relative min-h-0 flex-1">
      <canvas ref={canvas} role="img" aria-label="Waterfall" className="absolute inset-0 h-full w-full" />
      <SaveMenu label="Waterfall" file={file} className="bottom-4!" />
    </div>
  );
}
