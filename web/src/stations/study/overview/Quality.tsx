/** What is wrong with a run along its time: marks over the overview, and a list that leads to each. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useQuery } from "@tanstack/react-query";
import { api, type RunDetail, type Schema, told } from "../../../api/client";
import { digits } from "../../../ui/format";
import { NamedButton } from "../../../ui/NamedButton";
import type { Range } from "../../../ui/plot/Plot";
import { corrected } from "../rows";

export type QualityMark = Schema["QualityMark"];

/** A shape and a hue for each kind; the word stands in the list. */
const shapes: Record<string, { sign: string; hue: string }> = {
  clipped: { sign: "▬", hue: "text-reef" },
  "double hit": { sign: "◆", hue: "text-lamp" },
  "tacho missed": { sign: "▽", hue: "text-lamp" },
  "tacho extra": { sign: "△", hue: "text-lamp" },
  "tacho jitter": { sign: "≈", hue: "text-lamp" },
};

export const useQuality = (run: RunDetail) =>
  useQuery({
    queryKey: ["quality", run.id, corrected(run)],
    enabled: run.samples > 0,
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: ({ signal }) => told(api.GET("/api/runs/{id}/quality", { params: { path: { id: run.id } }, signal })),
  }).data;

/** The marks of the shown stretch, to scale, along its upper edge. */
export function QualityTicks({ marks, shown }: { marks: QualityMark[]; shown: Range }) {
  const [from, to] = shown;
  const share = (t: number) => ((t - from) / (to - from)) * 100;
  return marks
    .filter((m) => m.from_s + m.length_s >= from && m.from_s <= to)
    .slice(0, 300)
    .map((m) => (
      <span
        key={`${m.kind} ${m.channel} ${m.from_s}`}
        title={`${m.says}, channel ${m.channel}, ${digits(m.from_s, 6)} s`}
        data-quality={m.kind}
        className={`absolute -top-1 h-1.5 min-w-[3px] ${m.kind === "clipped" ? "bg-reef" : "bg-lamp"}`}
        style={{
          left: `${Math.max(share(m.from_s), 0)}%`,
          width: `${Math.max(share(Math.min(m.from_s + m.length_s, to)) - Math.max(share(m.from_s), 0), 0)}%`,
        }}
      />
    ));
}

type ListProps = {
  run: RunDetail;
  marks: QualityMark[];
  unseen: string | null | undefined;
  onBracket: (to: Range) => void;
};

export function QualityList({ run, marks, unseen, onBracket }: ListProps) {
  if (marks.length === 0 && !unseen) return null;
  const kinds = [...new Set(marks.map((m) => m.kind))];
  const name = (channel: number) =>
    run.channels.find((c) => c.channel === channel)?.recorded.name ?? `channel ${channel}`;
  return (
    <Popover as="span">
      <PopoverButton as={NamedButton} label="Quality of the run" className="border-b border-harbour text-[13px]">
        <span className="flex gap-2">
          {kinds.map((k) => (
            <span key={k} className={shapes[k]?.hue}>
              {shapes[k]?.sign} {marks.filter((m) => m.kind === k).length} {k}
            </span>
          ))}
          {kinds.length === 0 && <span className="text-soft">quality</span>}
        </span>
      </PopoverButton>
      <PopoverPanel
        anchor="bottom end"
        className="panel z-30 mt-2 max-h-80 w-[26rem] overflow-auto p-3 text-[13px] shadow-lg"
      >
        {unseen && <p className="pb-1 text-soft">{unseen}</p>}
        <ol>
          {marks.slice(0, 200).map((m) => (
            <li key={`${m.kind} ${m.channel} ${m.from_s}`} className="flex gap-2 border-t border-rule">
              <span className={shapes[m.kind]?.hue}>{shapes[m.kind]?.sign}</span>
              <button
                type="button"
                className="num text-harbour hover:underline"
                onClick={() => {
                  const around = Math.max(m.length_s * 0.2, 0.05);
                  onBracket([Math.max(m.from_s - around, 0), Math.min(m.from_s + m.length_s + around, run.duration_s)]);
                }}
              >
                {digits(m.from_s, 6)} s
              </button>
              <span className="truncate">
                {m.kind}: {m.says}, {name(m.channel)}
              </span>
            </li>
          ))}
        </ol>
      </PopoverPanel>
    </Popover>
  );
}
