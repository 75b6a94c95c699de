/** The whole run from the min/max pyramid, with a bracket that is dragged. */
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import type { RunDetail } from "../../api/client";
import { overview } from "../../api/queries";
import { digits, span } from "../../ui/format";
import { Panel } from "../../ui/Panel";
import type { Range } from "../../ui/Plot";
import { colour } from "../../ui/traces";

const POINTS = 1100;

export function Overview({
  run,
  channel,
  bracket,
  onBracket,
}: {
  run: RunDetail;
  channel: number;
  bracket: Range;
  onBracket: (to: Range) => void;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const box = useRef<HTMLDivElement>(null);
  const drag = useRef<{ from: number; what: "new" | "move" | "lo" | "hi"; was: Range }>(undefined);
  const row = run.channels.find((c) => c.channel === channel);
  const sensitivity = row?.sensitivity.value;
  const data = useQuery({
    queryKey: ["overview", run.id, channel, run.samples, sensitivity],
    queryFn: ({ signal }) => overview(run.id, [channel], 0, run.duration_s, POINTS, signal),
    enabled: run.samples > 0,
    staleTime: Number.POSITIVE_INFINITY,
  }).data?.[0];

  useEffect(() => {
    const c = canvas.current;
    const ctx = c?.getContext("2d");
    if (!c || !ctx || !data) return;
    let top = 0;
    for (let i = 0; i < POINTS; i++) top = Math.max(top, Math.abs(data.low[i] || 0), Math.abs(data.high[i] || 0));
    const y = (v: number) => (c.height / 2) * (1 - v / (top * 1.05 || 1));
    ctx.clearRect(0, 0, c.width, c.height);
    ctx.fillStyle = colour("ink");
    const w = c.width / POINTS;
    for (let i = 0; i < POINTS; i++) {
      const [lo, hi] = [data.low[i] ?? Number.NaN, data.high[i] ?? Number.NaN];
      if (Number.isFinite(lo)) ctx.fillRect(i * w, y(hi), w + 0.5, Math.max(y(lo) - y(hi), 1.5));
    }
  }, [data]);

  const total = run.duration_s || 1;
  const at = (clientX: number) => {
    const r = box.current?.getBoundingClientRect();
    return r ? Math.min(Math.max((clientX - r.left) / r.width, 0), 1) * total : 0;
  };
  const left = (bracket[0] / total) * 100;
  const right = (bracket[1] / total) * 100;
  const start = (e: React.PointerEvent) => {
    const t = at(e.clientX);
    const near = (total / (box.current?.clientWidth ?? 1000)) * 8;
    const whole = bracket[0] <= 0 && bracket[1] >= total;
    const what =
      Math.abs(t - bracket[0]) < near
        ? "lo"
        : Math.abs(t - bracket[1]) < near
          ? "hi"
          : !whole && t > bracket[0] && t < bracket[1]
            ? "move"
            : "new";
    drag.current = { from: t, what, was: bracket };
    e.currentTarget.setPointerCapture(e.pointerId);
  };
  const go = (e: React.PointerEvent) => {
    const d = drag.current;
    if (!d) return;
    const t = at(e.clientX);
    const [a, b] = d.was;
    if (d.what === "new" && Math.abs(t - d.from) > total / 500) onBracket([Math.min(t, d.from), Math.max(t, d.from)]);
    if (d.what === "lo") onBracket([Math.min(t, b - total / 1000), b]);
    if (d.what === "hi") onBracket([a, Math.max(t, a + total / 1000)]);
    if (d.what === "move") {
      const by = Math.min(Math.max(t - d.from, -a), total - b);
      onBracket([a + by, b + by]);
    }
  };
  const nudge = (e: React.KeyboardEvent) => {
    const step = (bracket[1] - bracket[0]) / 10;
    const by = e.key === "ArrowLeft" ? -step : e.key === "ArrowRight" ? step : 0;
    if (e.key === "Home") onBracket([0, total]);
    else if (by && e.shiftKey)
      onBracket([bracket[0], Math.min(Math.max(bracket[1] + by, bracket[0] + step / 10), total)]);
    else if (by) {
      const b = Math.min(Math.max(by, -bracket[0]), total - bracket[1]);
      onBracket([bracket[0] + b, bracket[1] + b]);
    } else return;
    e.preventDefault();
  };
  const step = 10 ** Math.floor(Math.log10(total / 4));
  const each = [1, 2, 5, 10].map((k) => k * step).find((s) => total / s <= 12) ?? step * 10;

  return (
    <Panel
      title={`Run ${run.number}${run.kind ? `, ${run.kind}` : ""}`}
      says={`${span(run.duration_s)}, ${row?.recorded.name ?? ""}`}
      aside={
        <>
          {run.state === "broken" && (
            <span className="text-[13px] text-reef">▣ {run.ended_because}; what came until then is here</span>
          )}
          {run.gaps.length > 0 && (
            <span className="text-[13px] text-reef">
              {run.gaps.length} gap{run.gaps.length > 1 ? "s" : ""}
            </span>
          )}
          <span className="num text-[13px] text-mark">
            [{digits(bracket[0], 4)} – {digits(bracket[1], 4)} s]
          </span>
        </>
      }
    >
      <div
        ref={box}
        role="slider"
        tabIndex={0}
        aria-label="Bracket: arrows move it, Shift and arrows change its end, Home takes the whole run"
        aria-valuemin={0}
        aria-valuemax={total}
        aria-valuenow={bracket[0]}
        aria-valuetext={`${bracket[0].toFixed(3)} to ${bracket[1].toFixed(3)} s`}
        className="relative mx-3 h-[72px] cursor-crosshair touch-none"
        onPointerDown={start}
        onPointerMove={go}
        onPointerUp={() => {
          drag.current = undefined;
        }}
        onDoubleClick={() => onBracket([0, total])}
        onKeyDown={nudge}
      >
        <canvas ref={canvas} width={POINTS} height={144} className="absolute inset-0 h-full w-full" />
        {run.gaps.map((g) => (
          <span
            key={g.from_s}
            title={g.why}
            className="absolute inset-y-0 border-x border-reef bg-reef/20"
            style={{ left: `${(g.from_s / total) * 100}%`, width: `${Math.max((g.length_s / total) * 100, 0.1)}%` }}
          />
        ))}
        <span
          className="pointer-events-none absolute -inset-y-0.5 bg-mark/10"
          style={{ left: `${left}%`, width: `${right - left}%` }}
        />
        <span
          className="pointer-events-none absolute -inset-y-0.5 w-2 border-y-2 border-l-2 border-mark"
          style={{ left: `${left}%` }}
        />
        <span
          className="pointer-events-none absolute -inset-y-0.5 w-2 border-y-2 border-r-2 border-mark"
          style={{ left: `calc(${right}% - 8px)` }}
        />
      </div>
      <div className="relative mx-3 h-5">
        {Array.from({ length: Math.floor(total / each) + 1 }, (_, k) => k * each).map((t) => (
          <span
            key={t}
            className="num absolute text-[11px] whitespace-nowrap text-soft"
            style={{
              left: `${(t / total) * 100}%`,
              transform: t === 0 ? "" : t > total * 0.97 ? "translateX(-100%)" : "translateX(-50%)",
            }}
          >
            {Number(t.toPrecision(6))}
            {t + each > total && " s"}
          </span>
        ))}
      </div>
    </Panel>
  );
}
