/** What is allowed of a number, as sentences whose words are changed. */
import type { RunDetail } from "../../api/client";
import { Button } from "../../ui/Button";
import { ChannelsWord } from "../../ui/ChannelsWord";
import { NumberWord } from "../../ui/EntryWord";
import { ChosenWord } from "../../ui/Word";
import { rowsOf } from "../study/rows";
import type { Show } from "./blocks";

/** Numbers that statistics give. */
const numbers = ["rms", "peak", "peak_to_peak", "max", "min", "mean", "std", "crest_factor", "kurtosis", "skewness"];

type Limits = Extract<Show, { what: "limits" }>;
type LimitsProps = { show: Limits; run: RunDetail | undefined; onSet: (part: object) => unknown };

/** A level for all channels, others for some of them. */
export function LimitWords({ show, run, onSet }: LimitsProps) {
  const rows = run ? rowsOf(run) : [];
  const change = (i: number, part: Partial<Limits["limits"][number]>) =>
    onSet({ limits: show.limits.map((l, k) => (k === i ? { ...l, ...part } : l)) });
  return (
    <div className="flex flex-col gap-1">
      <p>
        Its{" "}
        <ChosenWord
          label="Number that is limited"
          value={show.number}
          options={[...new Set([...numbers, show.number])].map((value) => ({
            value,
            says: value.replaceAll("_", " "),
          }))}
          onSet={(number) => onSet({ number })}
        />{" "}
        may be
      </p>
      {show.limits.map((l, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: limits have no other name than their place
        <p key={i}>
          at most{" "}
          <NumberWord
            label={`Limit ${i + 1}`}
            value={l.at_most}
            above={0}
            onSet={(at_most) => change(i, { at_most })}
          />{" "}
          at{" "}
          <ChannelsWord
            label={`Channels of limit ${i + 1}`}
            face={
              (l.channels ?? []).map((c) => rows.find((r) => r.channel === c)?.name ?? `channel ${c}`).join(", ") ||
              (show.limits.length > 1 ? "all others" : "all channels")
            }
            inputs={l.channels ?? []}
            channels={rows.map((r) => ({ input: r.channel, label: `${r.channel}`, name: r.name })) as never}
            width="max-w-48"
            onSet={(channels) => change(i, { channels })}
          />
          {show.limits.length > 1 && (
            <Button
              look="link"
              aria-label={`Remove limit ${i + 1}`}
              onClick={() => onSet({ limits: show.limits.filter((_, k) => k !== i) })}
            >
              {" "}
              ×
            </Button>
          )}
        </p>
      ))}
      <Button
        look="link"
        className="self-start"
        onClick={() => onSet({ limits: [...show.limits, { channels: [], at_most: show.limits.at(-1)?.at_most ?? 1 }] })}
      >
        Add a limit
      </Button>
    </div>
  );
}
