/** The stabilisation diagram: model order over frequency, behind it the mode indicator. A click takes the pole near it
 * in or out; the arrows walk over poles that hold, Enter takes one. */
import { useEffect, useMemo, useRef, useState } from "react";
import type { Analysis } from "../../../api/client";
import { short } from "../../../ui/format";
import { useTheme } from "../../../ui/theme";
import { colour } from "../../../ui/traces";

type Props = {
  analysis: Analysis;
  band: [number, number];
  /** Frequencies of the modes, Hz, in their order. */
  modes: number[];
  chosen: number;
  onMode: (k: number) => void;
  onPick: (hz: number) => void;
};

const LEFT = 40;
const FOOT = 24;
const TOP = 26;

export function Stabilisation({ analysis, band, modes, chosen, onMode, onPick }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const theme = useTheme();
  const [size, setSize] = useState<[number, number]>([1, 1]);
  const [at, setAt] = useState<number>();
  const poles = analysis.stabilisation ?? [];
  const highest = poles.reduce((n, p) => Math.max(n, p.order), 4);
  const indicator = useMemo(() => {
    const t = analysis.traces.find((x) => x.quantity === "indicator");
    return { hz: analysis.axes[0]?.values ?? [], values: t?.values ?? [] };
  }, [analysis]);
  // A little of what is beside the band is shown.
  const [low, high] = useMemo(() => {
    const wide = band[1] - band[0];
    return [Math.max(band[0] - 0.06 * wide, 0), band[1] + 0.06 * wide];
  }, [band]);
  /** Frequencies at which a pole holds at the highest order: where the arrows stop. */
  const stops = useMemo(() => {
    const all = poles.filter((p) => p.stable === "shape").sort((a, b) => a.frequency_hz - b.frequency_hz);
    const out: { hz: number; count: number }[] = [];
    for (const p of all) {
      const last = out.at(-1);
      if (last && p.frequency_hz / last.hz - 1 < 0.005) last.count += 1;
      else out.push({ hz: p.frequency_hz, count: 1 });
    }
    return out.filter((s) => s.count >= 3).map((s) => s.hz);
  }, [poles]);
  useEffect(() => {
    const el = canvas.current;
    if (!el) return;
    const watch = new ResizeObserver(() => setSize([el.clientWidth, el.clientHeight]));
    watch.observe(el);
    return () => watch.disconnect();
  }, []);
  const [wide, tall] = size;
  const x = (hz: number) => LEFT + ((hz - low) / (high - low)) * (wide - LEFT - 10);
  const y = (order: number) => tall - FOOT - (order / highest) * (tall - FOOT - TOP);
  // biome-ignore lint/correctness/useExhaustiveDependencies: x and y follow size and band
  useEffect(() => {
    const el = canvas.current;
    const ctx = el?.getContext("2d");
    if (!el || !ctx) return;
    const ratio = window.devicePixelRatio || 1;
    el.width = wide * ratio;
    el.height = tall * ratio;
    ctx.setTransform(ratio, 0, 0, ratio, 0, 0);
    ctx.clearRect(0, 0, wide, tall);
    ctx.font = '11px "JetBrains Mono Variable"';
    ctx.textBaseline = "middle";
    ctx.strokeStyle = colour("graticule");
    ctx.fillStyle = colour("ink-soft");
    ctx.textAlign = "right";
    const step = highest > 60 ? 20 : highest > 24 ? 10 : 5;
    for (let o = step; o <= highest; o += step) {
      ctx.beginPath();
      ctx.moveTo(LEFT, y(o));
      ctx.lineTo(wide - 10, y(o));
      ctx.stroke();
      ctx.fillText(String(o), LEFT - 6, y(o));
    }
    ctx.textAlign = "center";
    const rough = (high - low) / 7;
    const ten = 10 ** Math.floor(Math.log10(rough));
    const tick = [1, 2, 5, 10].map((k) => k * ten).find((t) => t >= rough) ?? ten;
    for (let f = Math.ceil(low / tick) * tick; f <= high; f += tick) ctx.fillText(short(f), x(f), tall - FOOT / 2);
    ctx.fillText("Hz", wide - 12, tall - FOOT / 2);
    // The indicator, by its logarithm: resonances stand out over decades.
    const inside = indicator.hz.flatMap((f, i) => {
      const v = indicator.values[i] ?? 0;
      return f >= low && f <= high && v > 0 ? [[f, Math.log10(v)] as const] : [];
    });
    const most = Math.max(...inside.map((p) => p[1]));
    const least = Math.max(Math.min(...inside.map((p) => p[1])), most - 4);
    if (inside.length > 1) {
      ctx.beginPath();
      ctx.moveTo(x(inside[0]?.[0] ?? low), tall - FOOT);
      for (const [f, v] of inside)
        ctx.lineTo(x(f), tall - FOOT - (Math.max(v - least, 0) / (most - least || 1)) * 0.8 * (tall - FOOT - TOP));
      ctx.lineTo(x(inside.at(-1)?.[0] ?? high), tall - FOOT);
      ctx.fillStyle = colour("shoal");
      ctx.fill();
      ctx.strokeStyle = colour("t5");
      ctx.globalAlpha = 0.6;
      ctx.stroke();
      ctx.globalAlpha = 1;
    }
    ctx.strokeStyle = colour("ink");
    ctx.beginPath();
    ctx.moveTo(LEFT, tall - FOOT);
    ctx.lineTo(wide - 10, tall - FOOT);
    ctx.stroke();
    ctx.fillStyle = ctx.strokeStyle = colour("ink");
    ctx.lineWidth = 1.4;
    for (const p of poles) {
      if (p.frequency_hz < low || p.frequency_hz > high) continue;
      const [px, py] = [x(p.frequency_hz), y(p.order)];
      ctx.beginPath();
      if (p.stable === "new") {
        ctx.globalAlpha = 0.5;
        ctx.arc(px, py, 1.2, 0, 7);
        ctx.fill();
        ctx.globalAlpha = 1;
        continue;
      }
      if (p.stable === "shape") {
        ctx.moveTo(px, py - 4);
        ctx.lineTo(px + 3.5, py);
        ctx.lineTo(px, py + 4);
        ctx.lineTo(px - 3.5, py);
        ctx.closePath();
        ctx.fill();
        continue;
      }
      ctx.moveTo(px, py - 3.5);
      ctx.lineTo(px, py + 3.5);
      if (p.stable === "damping") {
        ctx.moveTo(px - 3.5, py);
        ctx.lineTo(px + 3.5, py);
      }
      ctx.stroke();
    }
    // The band.
    ctx.strokeStyle = colour("magenta");
    ctx.lineWidth = 2;
    for (const [f, way] of [
      [band[0], 1],
      [band[1], -1],
    ] as const) {
      ctx.beginPath();
      ctx.moveTo(x(f) + 5 * way, TOP - 4);
      ctx.lineTo(x(f), TOP - 4);
      ctx.lineTo(x(f), tall - FOOT);
      ctx.lineTo(x(f) + 5 * way, tall - FOOT);
      ctx.stroke();
    }
    // Flags of the modes; those that would lie on each other lean to either side.
    ctx.lineWidth = 1;
    for (const [k, f] of modes.entries()) {
      const px = x(f);
      const next = modes[k + 1];
      const left = next !== undefined && x(next) - px < 24;
      const way = left ? -1 : 1;
      ctx.strokeStyle = colour("magenta");
      ctx.fillStyle = k === chosen ? colour("magenta") : colour("sheet");
      ctx.beginPath();
      ctx.moveTo(px, tall - FOOT);
      ctx.lineTo(px, 6);
      ctx.lineTo(px + 20 * way, 6);
      ctx.lineTo(px + 16 * way, 13);
      ctx.lineTo(px + 20 * way, 20);
      ctx.lineTo(px, 20);
      ctx.stroke();
      ctx.fill();
      ctx.fillStyle = k === chosen ? colour("sheet") : colour("magenta");
      ctx.fillText(String(k + 1), px + 8 * way, 13.5);
    }
    if (at !== undefined) {
      ctx.strokeStyle = colour("harbour");
      ctx.beginPath();
      ctx.moveTo(x(at), TOP);
      ctx.lineTo(x(at), tall - FOOT);
      ctx.stroke();
    }
    el.dataset.drawn = `${poles.length} poles, ${modes.length} modes`;
  }, [analysis, size, band, modes, chosen, theme, at, indicator]);
  const hzOf = (px: number) => low + ((px - LEFT) / (wide - LEFT - 10)) * (high - low);
  const nearestPole = (hz: number) =>
    poles
      .filter((p) => p.stable === "shape")
      .reduce<number | undefined>(
        (best, p) =>
          best === undefined || Math.abs(p.frequency_hz - hz) < Math.abs(best - hz) ? p.frequency_hz : best,
        undefined,
      );
  const held = poles.filter((p) => p.stable === "shape").length;
  return (
    <canvas
      ref={canvas}
      role="img"
      tabIndex={0}
      aria-label={`Stabilisation: ${poles.length} poles, ${held} of them hold; ${modes.length} modes are picked. Arrows walk over poles that hold, Enter takes one in or out.`}
      className="min-h-0 w-full flex-1 touch-none"
      onPointerMove={(e) => {
        const hz = hzOf(e.nativeEvent.offsetX);
        const near = nearestPole(hz);
        setAt(near !== undefined && Math.abs(x(near) - e.nativeEvent.offsetX) < 12 ? near : undefined);
      }}
      onPointerLeave={() => setAt(undefined)}
      onClick={(e) => {
        const { offsetX, offsetY } = e.nativeEvent;
        const flag = modes.findIndex((f) => Math.abs(x(f) - offsetX) < 20);
        if (offsetY < TOP && flag >= 0) return onMode(flag);
        const near = nearestPole(hzOf(offsetX));
        if (near !== undefined && Math.abs(x(near) - offsetX) < 16) onPick(near);
      }}
      onKeyDown={(e) => {
        const way = e.key === "ArrowRight" ? 1 : e.key === "ArrowLeft" ? -1 : 0;
        if (way !== 0) {
          const ahead = stops.filter((s) => at === undefined || (way > 0 ? s > at * 1.0001 : s < at / 1.0001));
          setAt((way > 0 ? ahead[0] : ahead.at(-1)) ?? at);
        } else if (e.key === "Enter" && at !== undefined) onPick(at);
        else return;
        e.preventDefault();
        e.stopPropagation();
      }}
    />
  );
}
