/** A change before it is written: what changes, what is refused (and can be put right here), what
 * somebody else changed meanwhile. */
import { Dialog, DialogBackdrop, DialogPanel, DialogTitle } from "@headlessui/react";
import { useState } from "react";
import type { Cell, RigBody } from "../../api/client";
import { Button } from "../../ui/Button";
import { Wrong } from "../../ui/Panel";
import { columnOf } from "./columns";
import type { Editing } from "./editing";

const MOST = 300;

export function ReviewDialog({ rig, editing }: { rig: RigBody; editing: Editing }) {
  const { review, setReview } = editing;
  const [error, setError] = useState<Error>();
  const [busy, setBusy] = useState(false);
  if (!review) return null;
  const { answer, what, madeOn } = review;
  const label = (input: number) => rig.rig.channels.find((c) => c.input === input)?.label ?? String(input);
  const head = (key: string) => columnOf(key)?.head ?? key;
  const close = () => {
    setError(undefined);
    setReview(undefined);
  };

  const retry = async (cells: Cell[]) => {
    setError(undefined);
    try {
      setReview({ ...review, answer: await editing.ask({ made_on: madeOn, cells, what, try_only: true }) });
    } catch (e) {
      setError(e as Error);
    }
  };
  const mend = (input: number, column: string, text: string) =>
    retry(answer.cells.map((c) => (c.input === input && c.column === column ? { ...c, text } : c)));
  const write = async (over: boolean) => {
    setBusy(true);
    setError(undefined);
    try {
      // Refused cells and, unless told otherwise, those of others stay as they are.
      const left = (c: Cell) =>
        !answer.refused.some((r) => r.input === c.input && r.column === c.column) &&
        (over || !answer.clashes.some((k) => k.input === c.input && k.column === c.column));
      const done = await editing.write({ cells: answer.cells.filter(left), over_others: true }, what);
      if (done.refused.length === 0) close();
      else setReview({ ...review, answer: done });
    } catch (e) {
      setError(e as Error);
    }
    setBusy(false);
  };
  const rows = new Set(answer.changed.map((c) => c.input)).size;
  const clash = answer.clashes.length;

  return (
    <Dialog open onClose={close} className="relative z-40">
      <DialogBackdrop className="fixed inset-0 bg-ink/30" />
      <div className="fixed inset-0 flex items-center justify-center p-8">
        <DialogPanel className="panel flex max-h-full w-[860px] flex-col shadow-lg">
          <header className="border-b border-rule px-4 py-3">
            <DialogTitle className="font-semibold">Review changes: {what}</DialogTitle>
            <p className="text-[13px] text-soft" role="status">
              {answer.changed.length} cells in {rows} rows change
              {answer.refused.length > 0 && `, ${answer.refused.length} refused`}
              {clash > 0 && `, ${clash} changed by somebody else meanwhile`}.
            </p>
          </header>
          <div className="min-h-0 flex-1 overflow-auto px-4 py-2 text-[13px]">
            {answer.refused.map((r) => (
              <div key={`${r.input}-${r.column}`} className="flex items-start gap-2 border-b border-rule py-1">
                <span className="text-reef" aria-hidden>
                  ■
                </span>
                <span className="w-28 shrink-0">
                  Input {label(r.input)}, {head(r.column)}
                </span>
                <RefusedText
                  name={`${head(r.column)} of input ${label(r.input)}`}
                  text={r.text}
                  onText={(t) => mend(r.input, r.column, t)}
                />
                <span className="text-reef">{r.says}</span>
              </div>
            ))}
            {answer.clashes.map((c) => (
              <div key={`${c.input}-${c.column}`} className="flex gap-2 border-b border-rule py-1">
                <span className="text-lamp" aria-hidden>
                  ▲
                </span>
                <span>
                  Input {label(c.input)}, {head(c.column)}: {c.who} changed it from “{c.before}” to “{c.theirs}”, yours
                  is “{c.mine}”.
                </span>
              </div>
            ))}
            <table className="w-full">
              <tbody>
                {answer.changed.slice(0, MOST).map((c) => (
                  <tr key={`${c.input}-${c.column}`} className="border-b border-rule/70">
                    <td className="num w-14">{label(c.input)}</td>
                    <td className="w-28 text-soft">{head(c.column)}</td>
                    <td className="w-64 truncate text-soft line-through">{c.from}</td>
                    <td>{c.to || "nothing"}</td>
                  </tr>
                ))}
              </tbody>
            </table>
            {answer.changed.length > MOST && <p className="py-1 text-soft">and {answer.changed.length - MOST} more</p>}
          </div>
          <Wrong error={error} />
          <footer className="flex items-center gap-3 border-t border-rule px-4 py-3">
            <Button
              look="main"
              disabled={busy || answer.changed.length === 0}
              onClick={() => write(false)}
              data-autofocus
            >
              Apply {answer.changed.length} changes
              {answer.refused.length > 0 && `, leave ${answer.refused.length} as they were`}
            </Button>
            {clash > 0 && (
              <Button disabled={busy} onClick={() => write(true)}>
                Overwrite theirs
              </Button>
            )}
            <Button onClick={close} hint="Esc">
              Cancel
            </Button>
          </footer>
        </DialogPanel>
      </div>
    </Dialog>
  );
}

function RefusedText({ name, text, onText }: { name: string; text: string; onText: (text: string) => void }) {
  const [value, setValue] = useState(text);
  const done = () => value !== text && onText(value);
  return (
    <input
      aria-label={name}
      className="num h-6 w-36 shrink-0 border border-reef bg-sheet px-1"
      value={value}
      onChange={(e) => setValue(e.target.value)}
      onBlur={done}
      onKeyDown={(e) => e.key === "Enter" && done()}
    />
  );
}
