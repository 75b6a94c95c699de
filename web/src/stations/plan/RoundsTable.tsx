/** What each round gave: the table of the newest schedule, or of one before it. */
import { useState } from "react";
import type { Schema } from "../../api/client";
import { useRounds } from "../../api/rounds";
import { digits, moment } from "../../ui/format";
import { Empty, Panel, Wrong } from "../../ui/Panel";
import { ChosenWord } from "../../ui/Word";

type Short = Schema["ScheduleShort"];

const named = (s: Short) => `started ${moment(s.begun_at)}, ${s.count} rounds, ${s.state}`;

export function RoundsTable({ campaign }: { campaign: number | undefined }) {
  const newest = useRounds(campaign).data;
  const [chosen, setChosen] = useState<number>();
  const earlier = chosen !== undefined && chosen !== newest?.id ? chosen : undefined;
  const other = useRounds(earlier === undefined ? undefined : campaign, earlier);
  const s = earlier === undefined ? newest : (other.data ?? newest);
  if (!s)
    return (
      <Panel title="Results">
        <Empty says="No rounds were started yet. Their values appear here, a line a round." />
      </Panel>
    );
  const looks: Record<string, string> = { done: "", going: "text-buoy", missed: "text-lamp", broken: "text-reef" };
  const shapes: Record<string, string> = { done: "◆", going: "●", missed: "▲", broken: "▣" };
  return (
    <Panel
      title="Results"
      says={
        <>
          {s.all.length > 1 && (
            <>
              of the rounds{" "}
              <ChosenWord
                label="Which rounds"
                value={s.id}
                options={s.all.map((one) => ({ value: one.id, says: named(one) }))}
                onSet={setChosen}
              />
              :{" "}
            </>
          )}
          {s.state}, {s.rounds.length} of {s.count} rounds
          {s.next_at && `, the next at ${new Date(s.next_at).toLocaleTimeString("en-GB")}`}
        </>
      }
      aside={
        <a
          className="text-[13px] text-harbour underline"
          href={`/api/campaigns/${campaign}/rounds.xlsx?schedule=${s.id}`}
          download
        >
          Spreadsheet
        </a>
      }
      className="min-h-0"
    >
      <Wrong error={other.error} />
      <div className="min-h-0 flex-1 overflow-auto px-3 pb-2">
        <table className="w-full text-[13px]" aria-label="Results of the rounds">
          <thead className="sticky top-0 bg-sheet text-left align-bottom text-soft">
            <tr>
              <th className="font-normal">Round</th>
              <th className="font-normal">Due</th>
              <th className="font-normal">State</th>
              {s.heads.map((h) => (
                <th key={h} className="max-w-36 text-right font-normal">
                  {h}
                </th>
              ))}
              <th className="pl-4 font-normal">Waveform</th>
            </tr>
          </thead>
          <tbody>
            {[...s.rounds].reverse().map((r) => (
              <tr key={r.number} className="border-t border-rule">
                <td className="num">{r.number}</td>
                <td className="num">{moment(r.due_at, true)}</td>
                <td className={looks[r.state]} title={r.says}>
                  {shapes[r.state]} {r.state}
                  {r.says && <span className="text-soft"> {r.says}</span>}
                </td>
                {s.heads.map((h, i) => (
                  <td key={h} className="num text-right">
                    {digits(r.measured[i], 4)}
                  </td>
                ))}
                <td className="pl-4">
                  {r.state === "done" && (
                    <img
                      src={`/api/campaigns/${campaign}/rounds/${r.number}/picture.svg?schedule=${s.id}`}
                      alt={`Waveform of round ${r.number}`}
                      className="h-7 w-72"
                    />
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Panel>
  );
}
