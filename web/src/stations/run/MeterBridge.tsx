/** All channels' levels side by side: now and held peak as share of range. */
import { useRef, useState } from "react";
import type { Channel } from "../../api/client";
import { useLevels } from "../../api/live";
import { Bridge } from "../rig/levels/Bridge";

const CLOSE = 0.85;

/** More channels than this are one picture instead of a button each. */
const MOST = 32;

type Props = { channels: Channel[]; shown: number[]; onToggle: (input: number) => void };

export function MeterBridge({ channels, shown, onToggle }: Props) {
  const [cursor, setCursor] = useState(channels.find((c) => c.on)?.input ?? 1);
  const on = channels.filter((c) => c.on);
  if (on.length > MOST) {
    return (
      <div className="flex min-h-0 flex-1 flex-col px-3 pb-1.5">
        <Bridge channels={on} selected={cursor} onSelect={setCursor} onOpen={onToggle} marked={shown} most={128} />
      </div>
    );
  }
  return <Bars channels={channels} shown={shown} onToggle={onToggle} />;
}

function Bars({ channels, shown, onToggle }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const over = useRef<HTMLSpanElement>(null);
  useLevels((levels) => {
    const close: number[] = [];
    for (const l of levels) {
      const bar = host.current?.querySelector<HTMLElement>(`[data-bar="${l.input}"]`);
      bar?.style.setProperty("--now", `${Math.min(l.peak, 1) * 100}%`);
      bar?.style.setProperty("--held", `${Math.min(l.held, 1) * 100}%`);
      bar?.style.setProperty("--tone", l.overHeld ? "var(--reef)" : "var(--ink)");
      if (l.held > CLOSE) close.push(l.input);
    }
    if (over.current) {
      over.current.textContent = close.length
        ? `over ${CLOSE * 100} %: input ${close.join(", ")}`
        : `none over ${CLOSE * 100} %`;
    }
  });
  return (
    <div className="relative flex min-h-0 flex-1 flex-col">
      <span ref={over} className="absolute -top-7 right-24 text-[13px] text-soft" />
      <div ref={host} className="flex min-h-0 flex-1 items-stretch gap-1 px-3 pb-1">
        {channels.map((c) => {
          const on = shown.includes(c.input);
          return (
            <button
              type="button"
              key={c.input}
              data-bar={c.input}
              disabled={!c.on}
              aria-pressed={on}
              aria-label={`Show input ${c.input}, ${c.name}`}
              title={c.name || "free"}
              onClick={() => onToggle(c.input)}
              className={`flex max-w-24 min-w-0 flex-1 flex-col items-center px-1 ${on ? "bg-shoal" : ""} disabled:opacity-40`}
            >
              <span className="relative mt-1 w-full max-w-6 flex-1 bg-trough">
                <span
                  className="absolute inset-x-0 bottom-0"
                  style={{ height: "var(--now, 0)", background: "var(--tone)" }}
                />
                <span
                  className="absolute -inset-x-0.5 h-0.5"
                  style={{ bottom: "var(--held, 0)", background: "var(--tone)" }}
                />
                <span
                  className="absolute inset-x-0 border-t border-dotted border-lamp"
                  style={{ bottom: `${CLOSE * 100}%` }}
                />
              </span>
              <span className="num text-[11px] leading-4">{c.input}</span>
            </button>
          );
        })}
      </div>
    </div>
  );
}
