/** Recorders: channels, rate, when they keep samples. */
import { useState } from "react";
import type { Schema } from "../../api/client";
import { Button } from "../../ui/Button";
import { ChannelsWord } from "../../ui/ChannelsWord";
import { readEntry } from "../../ui/entry";
import { bytes, plain, rate } from "../../ui/format";
import { Panel, Wrong } from "../../ui/Panel";
import { ChosenWord, TypedWord } from "../../ui/Word";
import type { PlanProps } from "./planProps";

type Recorder = Schema["RecorderPlan"];

const divides = [1, 2, 4, 5, 8, 10, 16, 20, 32, 40, 50, 64, 80, 100, 128, 160, 200, 256, 320, 400, 512, 640, 800, 1024];
const keeps: { value: NonNullable<Recorder["keeps"]>; says: string }[] = [
  { value: "takes", says: "the takes" },
  { value: "everything", says: "all from arming on" },
  { value: "by_hand", says: "what is started by hand" },
];

export function Recorders({ body, channels, set }: PlanProps) {
  const [error, setError] = useState<Error>();
  const p = body.plan;
  const all: Recorder[] = p.recorders?.length
    ? p.recorders
    : [{ name: "A", inputs: [], divide: 1, keeps: "takes", segment_s: null }];
  const write = (recorders: Recorder[], removed?: string) => {
    setError(undefined);
    return set({ recorders }, removed);
  };
  const change = (i: number, part: Partial<Recorder>) => write(all.map((r, k) => (k === i ? { ...r, ...part } : r)));
  const choose = (i: number, part: Partial<Recorder>) => {
    change(i, part).catch(setError);
  };
  const next = "ABCDEFGH".split("").find((n) => !all.some((r) => r.name === n)) ?? "";
  /** A time, or a size that is reached after one. */
  const segment = (i: number) => async (text: string) => {
    const what = "the length of a segment";
    const perSecond = (body.sums.recorders[i]?.per_hour_bytes ?? 0) / 3600;
    const entry = await readEntry(text, { what, unit: "s", low: 1, words: ["never"] }).catch(async () => {
      const size = await readEntry(text, { what, unit: "B", above: 0 }).catch(() => undefined);
      if (!size || !perSecond)
        throw new Error(`“${text.slice(0, 40)}” is neither a time nor a size; type 10 min, 500 MB or never`);
      return { values: size.values.map((b) => Math.max(1, b / perSecond)), word: null };
    });
    return change(i, { segment_s: entry.word || !entry.values[0] ? null : Math.round(entry.values[0]) });
  };
  return (
    <Panel title="Recorders" className="min-h-0 flex-1">
      <div className="min-h-0 overflow-auto px-3 pb-2 text-[13px]">
        <table className="w-full [&_td]:pr-3 [&_th]:pr-3">
          <thead className="text-left text-soft">
            <tr>
              <th className="font-normal">Name</th>
              <th className="font-normal">Channels</th>
              <th className="font-normal">Rate</th>
              <th className="font-normal">Keeps</th>
              <th className="font-normal">Cut every</th>
              <th className="text-right font-normal">A take</th>
              <td />
            </tr>
          </thead>
          <tbody>
            {all.map((r, i) => {
              const s = body.sums.recorders[i];
              return (
                <tr key={r.name} className="border-t border-rule">
                  <td>
                    <TypedWord
                      label={`Name of recorder ${r.name}`}
                      value={r.name}
                      width="4ch"
                      plain
                      onSet={(name) => change(i, { name })}
                    />
                  </td>
                  <td>
                    <Chosen
                      label={`Channels of recorder ${r.name}`}
                      inputs={r.inputs ?? []}
                      channels={channels}
                      onSet={(inputs) => choose(i, { inputs })}
                    />
                  </td>
                  <td>
                    <ChosenWord
                      label={`Rate of recorder ${r.name}`}
                      value={r.divide ?? 1}
                      options={divides.map((d) => ({ value: d, says: rate(p.sample_rate_hz / d) }))}
                      onSet={(divide) => choose(i, { divide })}
                    />
                  </td>
                  <td>
                    <ChosenWord
                      label={`What recorder ${r.name} keeps`}
                      value={r.keeps ?? "takes"}
                      options={keeps}
                      onSet={(keeps) => choose(i, { keeps })}
                    />
                  </td>
                  <td>
                    <TypedWord
                      label={`Segments of recorder ${r.name}`}
                      value={r.segment_s ? `${plain(r.segment_s)} s` : "never"}
                      width="8ch"
                      onSet={segment(i)}
                    />
                  </td>
                  <td className="num text-right">
                    {s?.take_bytes ? bytes(s.take_bytes) : `${bytes(s?.per_hour_bytes)}/h`}
                  </td>
                  <td className="text-right">
                    {all.length > 1 && (
                      <button
                        type="button"
                        aria-label={`Remove recorder ${r.name}`}
                        className="px-1 hover:text-harbour"
                        onClick={() =>
                          write(
                            all.filter((_, k) => k !== i),
                            `Recorder ${r.name} removed`,
                          ).catch(setError)
                        }
                      >
                        ✕
                      </button>
                    )}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
        <Wrong error={error} />
        {next && (
          <Button
            look="link"
            onClick={() =>
              write([...all, { name: next, inputs: [], divide: 8, keeps: "takes", segment_s: null }]).catch(setError)
            }
          >
            Add a recorder
          </Button>
        )}
      </div>
    </Panel>
  );
}

/** Channels of a recorder; none chosen means all that are on. */
function Chosen({
  label,
  inputs,
  channels,
  onSet,
}: {
  label: string;
  inputs: number[];
  channels: PlanProps["channels"];
  onSet: (inputs: number[]) => void;
}) {
  const one = inputs.length === 1 ? channels.find((c) => c.input === inputs[0])?.name : undefined;
  return (
    <ChannelsWord
      label={label}
      face={one ?? (inputs.length === 0 ? `all ${channels.length}` : `${inputs.length} of ${channels.length}`)}
      inputs={inputs}
      channels={channels}
      onSet={onSet}
      width="max-w-28"
    />
  );
}
