/** Channels of a run: which are drawn, with their dash and what is to be put right; computed ones after them. */
import { useState } from "react";
import type { RunDetail } from "../../api/client";
import { Panel } from "../../ui/Panel";
import { dashText } from "../../ui/traces";
import { Correction } from "./Correction";
import { rowsOf } from "./rows";

type Props = {
  run: RunDetail;
  chosen: number[];
  drawn: number[];
  unit: string;
  onSet: (channels: number[]) => void;
};

/** Above so many channels a name is looked for by typing. */
const MANY = 24;

export function ChannelList({ run, chosen, drawn, unit, onSet }: Props) {
  const [text, setText] = useState("");
  const toggle = (c: number) => onSet(chosen.includes(c) ? chosen.filter((k) => k !== c) : [...chosen, c].slice(-8));
  const out = chosen.length - drawn.length;
  const words = text.toLowerCase().split(/\s+/);
  const rows = rowsOf(run).filter((r) => words.every((w) => r.name.toLowerCase().includes(w)));
  const refused = run.math.filter((m) => m.refused);
  return (
    <Panel
      title="Channels"
      className="flex-1"
      aside={
        run.channels.length > MANY ? (
          <input
            aria-label="Find a channel"
            placeholder={`find among ${run.channels.length}`}
            className="word w-32 font-sans! text-[12px] font-normal!"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
        ) : (
          <span className="text-[12px] text-soft">{drawn.length} drawn</span>
        )
      }
    >
      <ul className="min-h-0 overflow-auto px-3 pb-1 text-[13px]">
        {rows.map((r) => {
          const k = drawn.indexOf(r.channel);
          const recorded = run.channels.find((c) => c.channel === r.channel);
          return (
            <li key={r.channel}>
              <span className="flex items-center gap-2">
                <label className="flex min-w-0 flex-1 cursor-pointer items-center gap-2">
                  <input
                    type="checkbox"
                    checked={chosen.includes(r.channel)}
                    onChange={() => toggle(r.channel)}
                    className="accent-harbour"
                  />
                  <span className="truncate" title={r.computed ?? r.name}>
                    {r.computed && <i className="pr-1 font-serif text-mark">f</i>}
                    {r.name}
                  </span>
                  {recorded?.clipped && (
                    <span className="text-reef" title="over range somewhere in this run">
                      ■
                    </span>
                  )}
                </label>
                {k >= 0 && (
                  <svg width="20" height="6" aria-hidden className="shrink-0">
                    <path d="M0 3h20" stroke={`var(--t${(k % 8) + 1})`} strokeWidth="2" strokeDasharray={dashText(k)} />
                  </svg>
                )}
              </span>
              {k >= 0 && recorded && (
                <span className="block pl-5">
                  <Correction run={run} channel={recorded} />
                </span>
              )}
              {k >= 0 && r.computed && (
                <span className="num block truncate pl-5 text-[12px] text-soft">{r.computed}</span>
              )}
            </li>
          );
        })}
      </ul>
      {refused.length > 0 && (
        <p className="px-3 pb-1 text-[12px] text-lamp" title={refused.map((m) => `${m.name}: ${m.refused}`).join("\n")}>
          ▲ {refused.length} computed channel{refused.length > 1 ? "s need" : " needs"} what this run does not have.
        </p>
      )}
      {out > 0 && (
        <p className="px-3 pb-1 text-[12px] text-lamp">
          ▲ {out} chosen in another unit than {unit}: not drawn here.
        </p>
      )}
    </Panel>
  );
}
