/** All channels' levels side by side: now and held, as shares of range, painted in one canvas. */
import { type KeyboardEvent, useEffect, useRef, useState } from "react";
import type { Channel } from "../../../api/client";
import { type Level, useLevels } from "../../../api/live";
import type { PlotFile } from "../../../ui/plot/file";
import { SaveMenu } from "../../../ui/plot/SaveMenu";
import { useTheme } from "../../../ui/theme";
import { colour } from "../../../ui/traces";

type Props = {
  channels: Channel[];
  selected: number;
  onSelect: (input: number) => void;
  onOpen: (input: number) => void;
  onLevels?: (levels: Level[]) => void;
  /** Channels shown elsewhere: their bars are marked. */
  marked?: number[];
  /** Most bars in a row; as many as stay wide enough for a gloved finger unless told otherwise. */
  most?: number;
};

const none: number[] = [];

export function Bridge({ channels, selected, onSelect, onOpen, onLevels, marked = none, most = 64 }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const box = useRef<HTMLDivElement>(null);
  const newest = useRef<Map<number, Level>>(new Map());
  const [size, setSize] = useState({ w: 1000, h: 400 });
  const perRow = Math.min(most, Math.max(channels.length, 1));
  const rows = Math.max(1, Math.ceil(channels.length / perRow));

  useEffect(() => {
    if (!box.current) return;
    const watch = new ResizeObserver(([e]) => {
      if (e) setSize({ w: Math.floor(e.contentRect.width), h: Math.floor(e.contentRect.height) });
    });
    watch.observe(box.current);
    return () => watch.disconnect();
  }, []);

  const draw = () => {
    const ctx = canvas.current?.getContext("2d");
    if (!ctx || !canvas.current) return;
    const ratio = window.devicePixelRatio || 1;
    ctx.setTransform(ratio, 0, 0, ratio, 0, 0);
    ctx.clearRect(0, 0, size.w, size.h);
    const [ink, trough, reef, harbour, soft, rule] = ["ink", "trough", "reef", "harbour", "ink-soft", "graticule"].map(
      (c) => colour(c),
    ) as [string, string, string, string, string, string];
    const rowH = size.h / rows;
    const step = (size.w - 34) / perRow;
    const wide = Math.max(1, Math.min(step - 2, 22));
    ctx.font = "10px 'Sofia Sans Semi Condensed Variable', sans-serif";
    for (let r = 0; r < rows; r++) {
      const top = r * rowH + 6;
      const high = rowH - 24;
      ctx.fillStyle = soft;
      ctx.textAlign = "right";
      for (const share of [0, 0.5, 1]) {
        const y = top + high * (1 - share);
        ctx.fillText(`${share * 100}`, 26, y + 3);
        ctx.fillStyle = rule;
        ctx.fillRect(30, y, size.w - 30, 1);
        ctx.fillStyle = soft;
      }
      ctx.textAlign = "center";
      for (let k = 0; k < perRow; k++) {
        const c = channels[r * perRow + k];
        if (!c) break;
        const x = 34 + k * step;
        const l = newest.current.get(c.input);
        ctx.fillStyle = c.input === selected || marked.includes(c.input) ? colour("shoal") : trough;
        ctx.fillRect(x, top, wide, high);
        if (l) {
          const now = Math.min(l.peak, 1) * high;
          ctx.fillStyle = l.over ? reef : ink;
          ctx.fillRect(x, top + high - now, wide, now);
          ctx.fillStyle = l.overHeld ? reef : ink;
          ctx.fillRect(x - 1, top + high - Math.min(l.held, 1) * high - 1, wide + 2, 2);
          if (l.overHeld) {
            // Not by colour alone: the memory of an overload is a block on top.
            ctx.fillRect(x, top - 5, wide, 4);
          }
        }
        if (c.input === selected) {
          ctx.strokeStyle = harbour;
          ctx.lineWidth = 2;
          ctx.strokeRect(x - 2, top - 2, wide + 4, high + 4);
        }
        if (step > 24 || k % (step > 10 ? 4 : 16) === 0 || c.input === selected) {
          ctx.fillStyle = c.input === selected ? harbour : soft;
          ctx.fillText(c.label, x + wide / 2, top + high + 13);
        }
      }
    }
  };

  useLevels((levels) => {
    newest.current = new Map(levels.map((l) => [l.input, l]));
    draw();
    onLevels?.(levels);
  });
  useTheme();
  useEffect(draw);

  const at = (x: number, y: number) => {
    const step = (size.w - 34) / perRow;
    const k = Math.floor((x - 33) / step);
    const r = Math.floor((y / size.h) * rows);
    return k < 0 || k >= perRow ? undefined : channels[r * perRow + k];
  };
  const key = (e: KeyboardEvent) => {
    const now = channels.findIndex((c) => c.input === selected);
    const by: Record<string, number> = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -perRow, ArrowDown: perRow };
    const step = by[e.key];
    if (step !== undefined) {
      const to = channels[Math.min(Math.max(now + step, 0), channels.length - 1)];
      if (to) onSelect(to.input);
    } else if (e.key === "Enter") onOpen(selected);
    else return;
    e.preventDefault();
  };
  const file = (): PlotFile => {
    const heard = channels.flatMap((c) => newest.current.get(c.input) ?? []);
    if (heard.length === 0) throw new Error("No signal yet.");
    const curve = (name: string, of: (l: Level) => number) => ({
      name,
      values: heard.map((l) => 100 * of(l)),
      points: true,
    });
    return {
      title: "Levels",
      size: [760, 460],
      x: { label: "input", values: heard.map((l) => l.input) },
      panes: [
        { label: "share of range, %", from: 0, curves: [curve("now", (l) => l.peak), curve("held", (l) => l.held)] },
      ],
      notes: [],
    };
  };
  const ratio = window.devicePixelRatio || 1;
  const chosen = channels.find((c) => c.input === selected);
  return (
    <div className="relative flex min-h-0 flex-1 flex-col">
      <div
        ref={box}
        role="group"
        aria-label={`Levels of ${channels.length} channels; ${chosen ? `input ${chosen.label}, ${chosen.name}` : "none"} selected`}
        // biome-ignore lint/a11y/noNoninteractiveTabindex: arrows walk the bars
        tabIndex={0}
        className="min-h-0 flex-1 outline-offset-2"
        onKeyDown={key}
        onMouseDown={(e) => {
          const r = e.currentTarget.getBoundingClientRect();
          const c = at(e.clientX - r.left, e.clientY - r.top);
          if (c) onSelect(c.input);
        }}
        onDoubleClick={() => onOpen(selected)}
      >
        <canvas
          ref={canvas}
          width={size.w * ratio}
          height={size.h * ratio}
          style={{ width: size.w, height: size.h }}
          className="block"
          aria-hidden
        />
      </div>
      <SaveMenu label="Levels" file={file} />
    </div>
  );
}
