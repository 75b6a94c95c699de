/** The whole run from the min/max pyramid, zoomed down to samples, with a bracket that is dragged. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import type { RunDetail } from "../../../api/client";
import { overview } from "../../../api/queries";
import { Button } from "../../../ui/Button";
import { digits, span } from "../../../ui/format";
import { Panel } from "../../../ui/Panel";
import { crosshair } from "../../../ui/plot/crosshair";
import type { Range } from "../../../ui/plot/Plot";
import { useTheme } from "../../../ui/theme";
import { colour } from "../../../ui/traces";
import type { KeptBracket } from "../look";
import { rowOf } from "../rows";
import { Brackets } from "./Brackets";
import { QualityList, QualityTicks, useQuality } from "./Quality";

const POINTS = 1100;

type Props = {
  run: RunDetail;
  channel: number;
  bracket: Range;
  kept: KeptBracket[];
  onBracket: (to: Range) => void;
  onKept: (kept: KeptBracket[]) => void;
};

export function Overview({ run, channel, bracket, kept, onBracket, onKept }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const box = useRef<HTMLDivElement>(null);
  const drag = useRef<{ from: number; what: "new" | "move" | "lo" | "hi"; was: Range }>(undefined);
  const total = run.duration_s || 1;
  // What is shown, and the zooms that led to it.
  const [zooms, setZooms] = useState<Range[]>([]);
  const shown: Range = zooms.at(-1) ?? [0, total];
  const [low, high] = shown;
  const width = high - low;
  const recorded = channel <= run.channels.length ? channel : 1;
  const sensitivity = run.channels.find((c) => c.channel === recorded)?.sensitivity.value;
  const data = useQuery({
    queryKey: ["overview", run.id, recorded, run.samples, sensitivity, low, high],
    queryFn: ({ signal }) => overview(run.id, [recorded], low, high, POINTS, signal),
    enabled: run.samples > 0,
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
  }).data?.[0];
  const quality = useQuality(run);
  const hair = useRef<HTMLSpanElement>(null);
  useEffect(
    () =>
      crosshair.follow(() => {
        const t = crosshair.at("time");
        const to = hair.current?.style;
        if (!to) return;
        to.display = t === undefined || t < low || t > high ? "none" : "";
        to.left = `${(((t ?? 0) - low) / width) * 100}%`;
      }),
    [low, high, width],
  );

  const theme = useTheme();
  // biome-ignore lint/correctness/useExhaustiveDependencies: other colours are drawn anew
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
  }, [data, theme]);

  const zoomTo = (to: Range) => {
    const least = 20 / run.sample_rate_hz;
    const size = Math.min(Math.max(to[1] - to[0], least), total);
    const from = Math.min(Math.max(to[0], 0), total - size);
    setZooms((was) => [...was, [from, from + size]].slice(-60) as Range[]);
  };
  const wheel = useRef((_: WheelEvent) => {});
  wheel.current = (e) => {
    e.preventDefault();
    const t = at(e.clientX);
    const by = e.deltaY < 0 ? 0.7 : 1 / 0.7;
    if (by > 1 && width >= total - 1e-9) return;
    zoomTo([t - (t - low) * by, t + (high - t) * by]);
  };
  useEffect(() => {
    const el = box.current;
    const turned = (e: WheelEvent) => wheel.current(e);
    el?.addEventListener("wheel", turned, { passive: false });
    return () => el?.removeEventListener("wheel", turned);
  }, []);

  // What nobody asked for is no loss.
  const lost = run.gaps.filter((g) => !g.between_takes);
  const at = (clientX: number) => {
    const r = box.current?.getBoundingClientRect();
    return r ? low + Math.min(Math.max((clientX - r.left) / r.width, 0), 1) * width : 0;
  };
  const place = (t: number) => ((t - low) / width) * 100;
  const inside = (t: number) => Math.min(Math.max(place(t), 0), 100);
  const [left, right] = [inside(bracket[0]), inside(bracket[1])];
  const least = width / 1000;
  const start = (e: React.PointerEvent) => {
    const t = at(e.clientX);
    const near = (width / (box.current?.clientWidth ?? 1000)) * 8;
    const whole = bracket[0] <= low && bracket[1] >= high;
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
    if (d.what === "new" && Math.abs(t - d.from) > width / 500) onBracket([Math.min(t, d.from), Math.max(t, d.from)]);
    if (d.what === "lo") onBracket([Math.min(t, b - least), b]);
    if (d.what === "hi") onBracket([a, Math.max(t, a + least)]);
    if (d.what === "move") {
      const by = Math.min(Math.max(t - d.from, -a), total - b);
      onBracket([a + by, b + by]);
    }
  };
  const nudge = (e: React.KeyboardEvent) => {
    const step = (bracket[1] - bracket[0]) / 10;
    const by = e.key === "ArrowLeft" ? -step : e.key === "ArrowRight" ? step : 0;
    const middle = (bracket[0] + bracket[1]) / 2;
    if (e.key === "Home") onBracket([0, total]);
    else if (e.key === "+") zoomTo([middle - width * 0.35, middle + width * 0.35]);
    else if (e.key === "-" || e.key === "Backspace") setZooms(zooms.slice(0, -1));
    else if (by && e.shiftKey)
      onBracket([bracket[0], Math.min(Math.max(bracket[1] + by, bracket[0] + step / 10), total)]);
    else if (by) {
      const b = Math.min(Math.max(by, -bracket[0]), total - bracket[1]);
      onBracket([bracket[0] + b, bracket[1] + b]);
    } else return;
    e.preventDefault();
  };
  const step = 10 ** Math.floor(Math.log10(width / 4));
  const each = [1, 2, 5, 10].map((k) => k * step).find((s) => width / s <= 12) ?? step * 10;
  const first = Math.ceil(low / each - 1e-9);

  return (
    <Panel
      title={`Run ${run.number}${run.kind ? `, ${run.kind}` : ""}`}
      says={`${span(run.duration_s)}, ${rowOf(run, recorded)?.name ?? ""}`}
      aside={
        <>
          {run.state === "broken" && (
            <span className="text-[13px] text-reef">▣ {run.ended_because}; what came until then is here</span>
          )}
          {lost.length > 0 && (
            <span className="text-[13px] text-reef">
              {lost.length} gap{lost.length > 1 ? "s" : ""}
            </span>
          )}
          <QualityList run={run} marks={quality?.marks ?? []} unseen={quality?.unseen} onBracket={onBracket} />
          {zooms.length > 0 && (
            <Button look="link" onClick={() => setZooms(zooms.slice(0, -1))}>
              Zoom back
            </Button>
          )}
          <Brackets total={total} bracket={bracket} kept={kept} onBracket={onBracket} onKept={onKept} />
        </>
      }
    >
      <div
        ref={box}
        role="slider"
        tabIndex={0}
        aria-label="Bracket: arrows move it, Shift and arrows change its end, Home takes the whole run, + zooms, Backspace zooms back"
        aria-valuemin={0}
        aria-valuemax={total}
        aria-valuenow={bracket[0]}
        aria-valuetext={`${bracket[0].toFixed(3)} to ${bracket[1].toFixed(3)} s`}
        className="relative mx-3 mt-1 h-14 cursor-crosshair touch-none"
        onPointerDown={start}
        onPointerMove={(e) => {
          go(e);
          crosshair.put({ time: at(e.clientX) });
        }}
        onPointerLeave={() => crosshair.put({})}
        onPointerUp={() => {
          drag.current = undefined;
        }}
        onDoubleClick={() => (zooms.length ? setZooms(zooms.slice(0, -1)) : onBracket([0, total]))}
        onKeyDown={nudge}
      >
        <div className="absolute inset-0 overflow-hidden">
          <canvas ref={canvas} width={POINTS} height={144} className="absolute inset-0 h-full w-full" />
          {run.takes
            .filter((t) => t.from_s + t.length_s >= low && t.from_s <= high)
            .slice(0, 200)
            .map((t) => (
              <span
                key={t.number}
                title={`take ${t.number}: ${t.says}`}
                className="absolute bottom-0 h-1 bg-harbour"
                style={{ left: `${place(t.from_s)}%`, width: `max(${(t.length_s / width) * 100}%, 2px)` }}
              />
            ))}
          {run.marks.map((m) => (
            <span
              key={m.id}
              title={`${m.says}, ${m.who}`}
              className="pointer-events-none absolute inset-y-0 border-l border-mark"
              style={{ left: `${place(m.at_s)}%` }}
            >
              <span className="num absolute top-0 left-0.5 bg-sheet/80 px-0.5 text-[11px] leading-3 whitespace-nowrap text-mark">
                {m.says}
              </span>
            </span>
          ))}
          {run.gaps.map((g) => (
            <span
              key={g.from_s}
              title={g.why}
              className={`absolute inset-y-0 ${g.between_takes ? "bg-trough/60" : "border-x border-reef bg-reef/20"}`}
              style={{ left: `${place(g.from_s)}%`, width: `${Math.max((g.length_s / width) * 100, 0.1)}%` }}
            />
          ))}
          {kept.map((k) => (
            <span
              key={k.name}
              className="num pointer-events-none absolute inset-y-0 border-x border-dashed border-mark/60 pl-0.5 text-[11px] leading-3 text-mark"
              style={{ left: `${place(k.range[0])}%`, width: `${((k.range[1] - k.range[0]) / width) * 100}%` }}
            >
              {k.name}
            </span>
          ))}
        </div>
        <span
          ref={hair}
          className="pointer-events-none absolute inset-y-0 border-l border-dashed border-ink-soft"
          style={{ display: "none" }}
        />
        <QualityTicks marks={quality?.marks ?? []} shown={shown} />
        <span
          className="pointer-events-none absolute -inset-y-0.5 bg-mark/10"
          style={{ left: `${left}%`, width: `${right - left}%` }}
        />
        {bracket[0] >= low && bracket[0] <= high && (
          <span
            className="pointer-events-none absolute -inset-y-0.5 w-2 border-y-2 border-l-2 border-mark"
            style={{ left: `${left}%` }}
          />
        )}
        {bracket[1] >= low && bracket[1] <= high && (
          <span
            className="pointer-events-none absolute -inset-y-0.5 w-2 border-y-2 border-r-2 border-mark"
            style={{ left: `calc(${right}% - 8px)` }}
          />
        )}
      </div>
      <div className="relative mx-3 h-5">
        {Array.from({ length: Math.floor(high / each + 1e-9) - first + 1 }, (_, k) => (first + k) * each).map((t) => (
          <span
            key={t}
            className="num absolute text-[11px] whitespace-nowrap text-soft"
            style={{
              left: `${place(t)}%`,
              transform: place(t) < 2 ? "" : place(t) > 97 ? "translateX(-100%)" : "translateX(-50%)",
            }}
          >
            {digits(t, 1) === "0" ? 0 : Number(t.toPrecision(9))}
            {t + each > high && " s"}
          </span>
        ))}
      </div>
    </Panel>
  );
}
