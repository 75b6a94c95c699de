/** Floating panes with the waveform of a channel each; moved by their head, closed singly or all at once. */
import { useRef, useState } from "react";
import type { Channel } from "../../../api/client";
import { usePicture } from "../../../api/live";
import { withUnit } from "../../../ui/format";
import { paint } from "../Selected";

type Props = { channels: Channel[]; onClose: (input: number | undefined) => void };

const SECONDS = 0.5;

export function Panes({ channels, onClose }: Props) {
  const canvases = useRef(new Map<number, HTMLCanvasElement>());
  const inputs = channels.map((c) => c.input);
  const show = { show: "waveform" as const, inputs, seconds: SECONDS, points: 300 };
  usePicture(inputs.length ? show : undefined, (p) => {
    p.inputs.forEach((input, i) => {
      const canvas = canvases.current.get(input);
      if (canvas) paint(canvas, p.values, p.points, i * 2 * p.points);
    });
  });
  return channels.map((c, i) => (
    <Pane
      key={c.input}
      channel={c}
      place={i}
      onClose={() => onClose(c.input)}
      canvas={(el) => {
        if (el) canvases.current.set(c.input, el);
        else canvases.current.delete(c.input);
      }}
    />
  ));
}

function Pane({
  channel: c,
  place,
  onClose,
  canvas,
}: {
  channel: Channel;
  place: number;
  onClose: () => void;
  canvas: (el: HTMLCanvasElement | null) => void;
}) {
  const [at, setAt] = useState({ x: 180 + (place % 3) * 340, y: 170 + Math.floor(place / 3) * 150 });
  const grip = useRef<{ x: number; y: number }>(undefined);
  return (
    <section
      aria-label={`Waveform of ${c.name}`}
      className="panel fixed z-20 w-80 bg-sheet shadow-lg"
      style={{ left: at.x, top: at.y }}
    >
      <header
        className="flex cursor-move items-baseline gap-2 px-2 pt-1 select-none"
        onPointerDown={(e) => {
          grip.current = { x: e.clientX - at.x, y: e.clientY - at.y };
          e.currentTarget.setPointerCapture(e.pointerId);
        }}
        onPointerMove={(e) => grip.current && setAt({ x: e.clientX - grip.current.x, y: e.clientY - grip.current.y })}
        onPointerUp={() => {
          grip.current = undefined;
        }}
      >
        <span className="truncate font-semibold">
          {c.label} {c.name}
        </span>
        <span className="ml-auto text-[12px] whitespace-nowrap text-soft">± {withUnit(c.full_scale, c.unit, 3)}</span>
        <button
          type="button"
          aria-label={`Close the waveform of ${c.name}`}
          className="px-1 hover:text-harbour"
          onPointerDown={(e) => e.stopPropagation()}
          onClick={onClose}
        >
          ✕
        </button>
      </header>
      <canvas ref={canvas} width={620} height={180} className="mx-2 mb-1 h-[90px] w-[304px]" />
      <p className="px-2 pb-1 text-[12px] text-soft">last {SECONDS} s, to its own scale</p>
    </section>
  );
}
