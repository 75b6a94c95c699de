/** The way of a shaft over a mean turn: it begins at the mark and goes the way the dot is followed by the line. */
import { useEffect, useRef } from "react";
import type { Analysis } from "../../../api/client";
import { dial, pen, roundUp, useCanvas } from "../../../ui/canvas";
import { digits, short } from "../../../ui/format";
import type { PlotFile } from "../../../ui/plot/file";
import { SaveMenu } from "../../../ui/plot/SaveMenu";
import { colour } from "../../../ui/traces";

/** Degrees left open before the mark, so that the way round is seen. */
const OPEN = 14;

export function OrbitBody({ result }: { result: Analysis }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [x, y] = result.traces;
  const number = (name: string) => result.numbers.find((n) => n.name === name)?.value;
  const draw = useRef(() => {});
  draw.current = () => {
    const to = canvas.current && pen(canvas.current);
    if (!to || !x || !y) return;
    const { ctx, w, h } = to;
    const mean = (v: number[]) => v.slice(0, -1).reduce((a, b) => a + b, 0) / Math.max(v.length - 1, 1);
    const [mx, my] = [mean(x.values), mean(y.values)];
    const most = Math.max(...x.values.map((v) => Math.abs(v - mx)), ...y.values.map((v) => Math.abs(v - my)), 1e-12);
    const full = roundUp(most);
    const r = Math.min(w, h) / 2 - 26;
    if (r < 20) return;
    const at = (i: number): [number, number] => [
      w / 2 + (((x.values[i] ?? 0) - mx) / full) * r,
      h / 2 - (((y.values[i] ?? 0) - my) / full) * r,
    ];
    ctx.clearRect(0, 0, w, h);
    dial(ctx, w, h, r);
    ctx.fillStyle = colour("ink-soft");
    ctx.font = '11px "JetBrains Mono Variable"';
    ctx.textAlign = "left";
    ctx.textBaseline = "middle";
    ctx.fillText(`circle ${short(full)} ${x.unit}`, 8, h - 10);
    ctx.fillText(x.name, Math.min(w / 2 + r + 4, w - ctx.measureText(x.name).width - 4), h / 2 - 9);
    ctx.textAlign = "center";
    ctx.fillText(y.name, w / 2, h / 2 - r - 12);
    ctx.strokeStyle = colour("t1");
    ctx.lineWidth = 1.5;
    ctx.beginPath();
    for (let i = 0; i <= 360 - OPEN; i++) ctx.lineTo(...at(i));
    ctx.stroke();
    ctx.fillStyle = colour("magenta");
    ctx.beginPath();
    ctx.arc(...at(0), 4.5, 0, 7);
    ctx.fill();
  };
  const redraw = useRef(() => draw.current());
  useCanvas(canvas, redraw.current);
  // biome-ignore lint/correctness/useExhaustiveDependencies: drawn anew whenever what is drawn changes
  useEffect(() => draw.current(), [result]);
  const file = (): PlotFile => ({
    title: `Orbit at ${digits(number("speed"), 5)} rpm`,
    size: [700, 700],
    round: true,
    x: { label: `${x?.name}, ${x?.unit}`, values: [] },
    panes: [
      {
        label: `${y?.name}, ${y?.unit}`,
        curves: [
          { name: "orbit", x: x?.values.slice(0, 361 - OPEN) ?? [], values: y?.values.slice(0, 361 - OPEN) ?? [] },
        ],
      },
    ],
    notes: [],
  });
  const [major, minor] = [number("major half-axis"), number("minor half-axis")];
  return (
    <>
      <p className="px-3 text-[13px] leading-5" data-orbit>
        Order 1 is {digits(2 * (major ?? Number.NaN), 4)} by {digits(2 * (minor ?? Number.NaN), 4)} {x?.unit} peak to
        peak, its long axis at {digits(number("inclination"), 3)}°, {number("forward") ? "forward" : "backward"}, at{" "}
        {digits(number("speed"), 5)} rpm over {digits(number("turns"), 4)} turns; ● is the tachometer’s pulse.
      </p>
      <div className="relative min-h-0 flex-1">
        <canvas ref={canvas} role="img" aria-label="Orbit of the bracket" className="absolute inset-0 h-full w-full" />
        <SaveMenu label="Orbit" file={file} className="bottom-5!" />
      </div>
    </>
  );
}
