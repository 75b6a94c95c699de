/** All runs of a campaign: found, ordered, described, compared, moved, deleted. */
import { useState } from "react";
import { useCampaigns, useRuns } from "../api/queries";
import { BringIn } from "../bring/BringIn";
import { useKeys } from "../shell/keys";
import { useCampaign } from "../shell/useCampaign";
import { Button } from "../ui/Button";
import { bytes, moment } from "../ui/format";
import { Empty, Panel, Wrong } from "../ui/Panel";
import { TableMenu } from "../ui/TableMenu";
import { offerUndo } from "../ui/undo";
import { ChosenWord } from "../ui/Word";
import { Compare } from "./Compare";
import { type Column, type ListedRun, listed, type Sort, sizeOf } from "./list";
import { RunRow } from "./RunRow";
import { useDeletedRuns, useRunActs } from "./useRunActs";

const COLUMNS: { by: Column; says: string; right?: boolean }[] = [
  { by: "number", says: "No.", right: true },
  { by: "kind", says: "What" },
  { by: "started_at", says: "When" },
  { by: "duration_s", says: "Length", right: true },
  { by: "sample_rate_hz", says: "Rate", right: true },
  { by: "channels", says: "Channels", right: true },
  { by: "who", says: "Who" },
  { by: "takes", says: "Takes", right: true },
  { by: "marks", says: "Marks", right: true },
  { by: "bytes", says: "Size", right: true },
  { by: "tags", says: "Tags" },
  { by: "remark", says: "Remark" },
];

const runWord = (n: number) => `${n} ${n === 1 ? "run" : "runs"}`;

export function Runs() {
  const { id } = useCampaign();
  const asked = useRuns(id);
  const acts = useRunActs();
  const [text, setText] = useState("");
  const [sort, setSort] = useState<Sort>({ by: "number", down: true });
  const [chosen, setChosen] = useState<number[]>([]);
  const [comparing, setComparing] = useState(false);
  const [bring, setBring] = useState(false);
  const [error, setError] = useState<Error>();
  const all = asked.data ?? [];
  const rows = listed(all, text, sort);
  const picked = rows.filter((r) => chosen.includes(r.id));
  const [one, other] = [...picked].sort((a, b) => a.number - b.number);
  const choose = (run: number, on: boolean) => setChosen(on ? [...chosen, run] : chosen.filter((r) => r !== run));
  const every = rows.length > 0 && picked.length === rows.length;
  const remove = async () => {
    setError(undefined);
    const done: ListedRun[] = [];
    try {
      for (const r of picked) {
        await acts.remove(r.id);
        done.push(r);
      }
    } catch (e) {
      setError(e as Error);
    }
    setChosen([]);
    if (done.length)
      offerUndo(
        `${runWord(done.length)} deleted, ${bytes(sizeOf(done))} given back in a day`,
        async () => {
          for (const r of done) await acts.restore(r.id);
        },
        async () => {
          for (const r of done) await acts.remove(r.id);
        },
      );
  };
  useKeys("Runs", [
    { key: "/", says: "Find a run", run: () => document.getElementById("find-run")?.focus() },
    ...(picked.length ? [{ key: "Delete", says: "Delete the chosen runs", run: remove }] : []),
  ]);
  const bringing = bring && id !== undefined && <BringIn campaign={id} onClose={() => setBring(false)} />;
  const bringButton = (
    <Button look="link" onClick={() => setBring(true)}>
      Bring in recordings
    </Button>
  );
  if (asked.data && all.length === 0)
    return (
      <div className="flex min-h-0 flex-1 flex-col">
        {bringing}
        <Empty says="No run yet. Record makes the first, or bring in recordings from files.">{bringButton}</Empty>
        <Deleted campaign={id} />
      </div>
    );
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-2">
      {bringing}
      {comparing && one && other && <Compare one={one} other={other} onClose={() => setComparing(false)} />}
      <Panel
        title="Runs"
        says={`${rows.length === all.length ? "" : `${rows.length} of `}${runWord(all.length)}, ${bytes(sizeOf(rows))}`}
        aside={
          <>
            {bringButton}
            <TableMenu name="runs" />
          </>
        }
        className="flex-1"
      >
        <div className="flex min-h-10 items-center gap-6 px-3 pb-1">
          <input
            id="find-run"
            aria-label="Find a run"
            placeholder="Find a run by what it is, tag, remark, person, day"
            className="w-96 border-b border-ink bg-transparent py-1"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
          {picked.length > 0 && (
            <Chosen
              picked={picked}
              campaign={id}
              onCompare={picked.length === 2 ? () => setComparing(true) : undefined}
              onDelete={remove}
              onMove={async (to) => {
                setError(undefined);
                try {
                  for (const r of picked) await acts.move(r.id, to);
                  setChosen([]);
                } catch (e) {
                  setError(e as Error);
                }
              }}
            />
          )}
        </div>
        <Wrong error={error ?? asked.error} />
        <div className="min-h-0 flex-1 overflow-auto">
          <table className="w-full text-[13px]" aria-label="Runs">
            <thead className="sticky top-0 z-10 bg-sheet text-left text-soft">
              <tr>
                <th className="py-1 pl-3">
                  <input
                    type="checkbox"
                    aria-label="Choose all runs shown"
                    checked={every}
                    onChange={() => setChosen(every ? [] : rows.map((r) => r.id))}
                  />
                </th>
                {COLUMNS.map((c) => (
                  <th
                    key={c.by}
                    className={`px-2 font-normal ${c.right ? "text-right" : ""}`}
                    aria-sort={sort.by === c.by ? (sort.down ? "descending" : "ascending") : undefined}
                  >
                    <button
                      type="button"
                      className="whitespace-nowrap hover:text-harbour"
                      onClick={() => setSort({ by: c.by, down: sort.by === c.by ? !sort.down : false })}
                    >
                      {c.says}
                      {sort.by === c.by && (sort.down ? " ▾" : " ▴")}
                    </button>
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {rows.map((r) => (
                <RunRow
                  key={r.id}
                  run={r}
                  chosen={chosen.includes(r.id)}
                  onChoose={(on) => choose(r.id, on)}
                  acts={acts}
                />
              ))}
            </tbody>
          </table>
          {rows.length === 0 && all.length > 0 && <p className="px-3 py-3 text-soft">No run holds all these words.</p>}
        </div>
        <Deleted campaign={id} />
      </Panel>
    </div>
  );
}

/** What can be done with the chosen runs. */
function Chosen({
  picked,
  campaign,
  onCompare,
  onDelete,
  onMove,
}: {
  picked: ListedRun[];
  campaign: number | undefined;
  onCompare: (() => void) | undefined;
  onDelete: () => void;
  onMove: (to: number) => void;
}) {
  const others = (useCampaigns().data ?? []).filter((c) => c.id !== campaign);
  return (
    <span className="flex items-center gap-5">
      <span className="text-soft">{picked.length} chosen</span>
      <Button
        look="link"
        disabled={!onCompare}
        title={onCompare ? "" : "Choose two runs to compare their settings"}
        onClick={onCompare}
      >
        Compare
      </Button>
      {others.length > 0 && (
        <ChosenWord
          label="Move to another campaign"
          value={0}
          empty="Move to …"
          options={others.map((c) => ({ value: c.id, says: c.name }))}
          onSet={onMove}
        />
      )}
      <Button look="link" className="text-reef!" onClick={onDelete}>
        Delete, {bytes(sizeOf(picked))}
      </Button>
    </span>
  );
}

/** Runs that were deleted within a day. */
function Deleted({ campaign }: { campaign: number | undefined }) {
  const gone = useDeletedRuns(campaign).data ?? [];
  const acts = useRunActs();
  const [error, setError] = useState<Error>();
  if (gone.length === 0) return null;
  return (
    <details className="shrink-0 border-t border-rule px-3 py-1.5 text-[13px]">
      <summary>
        <b>{runWord(gone.length)} deleted</b>{" "}
        <span className="text-soft">{bytes(sizeOf(gone))}, each can be brought back for a day</span>
      </summary>
      <Wrong error={error} />
      <ul className="max-h-32 overflow-auto py-1">
        {gone.map((g) => (
          <li key={g.id} className="flex items-center gap-4 py-0.5">
            <span className="num w-8 text-right">{g.number}</span>
            <span className="w-56 truncate">{g.kind}</span>
            <span className="num w-20 text-right">{bytes(g.bytes)}</span>
            <span className="text-soft">gone on {moment(g.gone_at)}</span>
            <Button
              look="link"
              aria-label={`Bring back run ${g.number}`}
              onClick={() => acts.restore(g.id).catch(setError)}
            >
              Bring back
            </Button>
          </li>
        ))}
      </ul>
    </details>
  );
}
