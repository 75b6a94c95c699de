/** The selected channel, or what several have in common: the last moments, every setting, what follows. */
import { useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import type { Channel, RigBody } from "../../api/client";
import { usePicture } from "../../api/live";
import { useTo } from "../../shell/address";
import { digits, withUnit } from "../../ui/format";
import { Panel } from "../../ui/Panel";
import { colour } from "../../ui/traces";
import { TypedWord } from "../../ui/Word";
import { columns } from "./columns";
import type { Editing } from "./editing";

const SEVERAL = "—";
const KEPT = "rig-detail";

type Props = { rig: RigBody; channel: Channel | undefined; all: Channel[]; editing: Editing };

export function Selected({ rig, channel, all, editing }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const to = useTo();
  const [open, setOpen] = useState(() => localStorage.getItem(KEPT) === "open");
  const toggle = () => {
    localStorage.setItem(KEPT, open ? "" : "open");
    setOpen(!open);
  };
  const on = channel?.on === true && all.length < 2;
  const show = on ? { show: "waveform" as const, inputs: [channel.input], seconds: 0.2, points: 290 } : undefined;
  usePicture(show, (p) => {
    if (p.inputs[0] === channel?.input && canvas.current) paint(canvas.current, p.values, p.points);
  });
  useEffect(() => {
    if (!on) canvas.current?.getContext("2d")?.clearRect(0, 0, 9999, 999);
  }, [on]);
  if (!channel) return null;
  const many = all.length > 1;
  const rows = many ? all : [channel];
  const smart = rig.smart.find((s) => s.input === channel.input);
  const set = (key: (typeof columns)[number], text: string) => {
    if (text === SEVERAL) return undefined;
    const cells = rows.map((c) => ({ input: c.input, column: key.key, text }));
    const first = cells[0];
    if (!many && first) return editing.writeCell(first, `input ${channel.label}: ${key.head} ${text}`);
    return editing.look({ cells }, `${key.head} of ${rows.length} rows set to “${text}”`);
  };
  return (
    <Panel title={many ? `${rows.length} channels` : channel.name || `Input ${channel.label}`} className="shrink-0">
      <div className="px-3 pb-2">
        {!many && (
          <>
            <p className="text-[12px] leading-4 text-soft">
              input {channel.label}
              {smart && ` · ${smartWords(smart)}`}
              {channel.point && (
                <>
                  {" · "}
                  <Link
                    to={to(`/rig/specimen?point=${encodeURIComponent(channel.point)}`)}
                    className="text-harbour hover:underline"
                  >
                    show {channel.point}
                  </Link>
                </>
              )}
            </p>
            <canvas
              ref={canvas}
              width={580}
              height={92}
              className="my-1 h-[46px] w-full"
              role="img"
              aria-label="Last fifth of a second"
            />
          </>
        )}
        <dl className="grid grid-cols-[auto_1fr] text-[13px] leading-[19px]">
          {!many && (
            <>
              <dt className="border-t border-rule text-soft">Full scale</dt>
              <dd className="num border-t border-rule text-right">
                ± {withUnit(channel.full_scale, channel.unit, 3)} pk
              </dd>
              <dt className="border-t border-rule text-soft">Resolution</dt>
              <dd className="num border-t border-rule text-right">
                {digits(channel.converter_step, 2)} {channel.unit}
              </dd>
            </>
          )}
          {(open || many) &&
            columns
              .filter((k) => k.key !== "on" && (!many || k.key !== "name"))
              .map((k) => {
                const texts = new Set(rows.map((c) => k.text(c)));
                const value = texts.size === 1 ? ([...texts][0] ?? "") : SEVERAL;
                return (
                  <div key={k.key} className="col-span-2 grid grid-cols-subgrid border-t border-rule">
                    <dt className="text-soft">{k.head === "per" ? "in" : k.head}</dt>
                    <dd className="text-right">
                      <TypedWord
                        label={`${k.head} of ${many ? "the selected rows" : `input ${channel.label} (detail)`}`}
                        value={value}
                        onSet={(t) => set(k, t)}
                        width="150px"
                        plain
                        right
                      />
                    </dd>
                  </div>
                );
              })}
        </dl>
        {!many && (
          <button
            type="button"
            aria-expanded={open}
            className="text-[13px] text-harbour hover:underline"
            onClick={toggle}
          >
            {open ? "fewer settings" : "all settings"}
          </button>
        )}
      </div>
    </Panel>
  );
}

/** What a smart sensor's memory says, in a few words. */
export function smartWords(s: RigBody["smart"][number]): string {
  switch (s.memory) {
    case "sensor":
      return `smart: ${s.sensor.model}, ${s.sensor.serial}`;
    case "blank":
      return "smart, its memory is blank";
    case "damaged":
      return `smart, its memory is damaged: ${s.says}`;
    case "unknown":
      return `smart: ${s.label}; ${s.says}`;
  }
}

/** A quick drawing of smallest and largest values, to its own scale. */
export function paint(c: HTMLCanvasElement, values: Float32Array, points: number, at = 0) {
  const ctx = c.getContext("2d");
  if (!ctx) return;
  const low = values.subarray(at, at + points);
  const high = values.subarray(at + points, at + 2 * points);
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
