/** Rounds by the clock: schedule, what is measured, and the table that grows. */
import { useState } from "react";
import type { Schema } from "../../api/client";
import { useOrderRounds, useRounds } from "../../api/rounds";
import { Button } from "../../ui/Button";
import { NumberWord } from "../../ui/EntryWord";
import { plain, span } from "../../ui/format";
import { Empty, Panel, Wrong } from "../../ui/Panel";
import { MeasureWords } from "./measures";
import type { PlanProps } from "./planProps";
import { RoundsTable } from "./RoundsTable";

type Rounds = Schema["Rounds"];

const local = (at: string | null | undefined) => {
  if (!at) return "";
  const d = new Date(at);
  return new Date(d.getTime() - d.getTimezoneOffset() * 60_000).toISOString().slice(0, 16);
};

export function RoundsPlan({ body, channels, campaign, set }: PlanProps) {
  const [error, setError] = useState<Error>();
  const r = body.plan.rounds;
  const schedule = useRounds(campaign).data;
  const order = useOrderRounds(campaign);
  const going = schedule?.state === "going";
  const write = (part: Partial<Rounds> | null, removed?: string) => {
    setError(undefined);
    const was = r ?? { every_s: 900, length_s: 5, count: 32, measures: [] };
    const done = set({ rounds: part === null ? null : { ...was, ...part } }, removed);
    done.catch(setError);
    return done;
  };
  const first = channels[0];
  if (!r)
    return (
      <div className="grid min-h-0 flex-1 grid-rows-[auto_1fr] gap-3">
        <Panel title="Rounds">
          <Empty says="Captures by the clock, unattended: every so often, for so long, so many times.">
            <Button
              look="main"
              onClick={() =>
                write({ measures: first ? [{ input: first.input, of: { what: "rms" } }] : [] }).catch(() => undefined)
              }
            >
              Plan rounds
            </Button>
          </Empty>
        </Panel>
        {schedule && <RoundsTable campaign={campaign} />}
      </div>
    );
  const measures = r.measures ?? [];
  const at = (key: "begin_at" | "end_at", label: string, none: string) => (
    <label className="whitespace-nowrap">
      {label}{" "}
      <input
        type="datetime-local"
        className="word"
        value={local(r[key])}
        onChange={(e) =>
          write({ [key]: e.target.value ? new Date(e.target.value).toISOString() : null }).catch(() => undefined)
        }
      />
      {!r[key] && <span className="text-[13px] text-soft"> ({none})</span>}
    </label>
  );
  return (
    <div className="grid min-h-0 flex-1 grid-rows-[auto_1fr] gap-3">
      <Panel
        title="Rounds"
        aside={
          <Button
            look={going ? "plain" : "main"}
            onClick={() => {
              setError(undefined);
              order.mutateAsync(!going).catch(setError);
            }}
          >
            {going ? "Stop the rounds" : "Start the rounds"}
          </Button>
        }
      >
        <div className="px-3 pb-2 text-[15px] leading-8">
          Every{" "}
          <NumberWord
            label="Every"
            what="the time between rounds"
            value={r.every_s}
            unit="s"
            show={short}
            above={0}
            onSet={(every_s) => write({ every_s })}
          />{" "}
          keep{" "}
          <NumberWord
            label="Length of a round"
            value={r.length_s}
            unit="s"
            show={short}
            above={0}
            onSet={(length_s) => write({ length_s })}
          />
          ,{" "}
          <NumberWord
            label="How many rounds"
            what="the number of rounds"
            value={r.count}
            low={1}
            high={100_000}
            whole
            onSet={(count) => write({ count })}
          />{" "}
          times; {at("begin_at", "begin at", "when started")}; {at("end_at", "end at", "no end")}. Waveforms are kept of{" "}
          {r.keep_newest ? "the newest " : ""}
          <NumberWord
            label="Waveforms kept"
            what="how many rounds keep their waveform"
            value={r.keep_newest}
            none="all rounds"
            low={1}
            whole
            onSet={(n) => write({ keep_newest: n ?? null })}
          />
          ; that takes {span(body.sums.rounds_s)} in all.
          <br />
          From each keep a picture and{" "}
          {measures.map((m, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a measure is its place in the list
            <span key={i}>
              <MeasureWords
                measure={m}
                channels={channels}
                onSet={(to) => write({ measures: measures.map((x, k) => (k === i ? to : x)) })}
              />
              <button
                type="button"
                aria-label={`Remove measurement ${i + 1}`}
                className="px-1 text-[13px] hover:text-harbour"
                onClick={() =>
                  write({ measures: measures.filter((_, k) => k !== i) }, `Measurement ${i + 1} removed`).catch(
                    () => undefined,
                  )
                }
              >
                ✕
              </button>
              {"; "}
            </span>
          ))}
          {first && (
            <Button
              look="link"
              onClick={() =>
                write({ measures: [...measures, { input: first.input, of: { what: "peak" } }] }).catch(() => undefined)
              }
            >
              Add measurement
            </Button>
          )}
          {" · "}
          <Button look="link" onClick={() => write(null, "Rounds deleted").catch(() => undefined)}>
            Delete rounds
          </Button>
          <Wrong error={error} />
        </div>
      </Panel>
      <RoundsTable campaign={campaign} />
    </div>
  );
}

const short = (s: number) =>
  s >= 7200 && s % 3600 === 0
    ? `${plain(s / 3600)} h`
    : s >= 120 && s % 60 === 0
      ? `${plain(s / 60)} min`
      : `${plain(s)} s`;
