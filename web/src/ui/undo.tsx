/** What was deleted or removed can be undone for a while, and what was undone done again: a slip at the foot of the page
 * says for how long. */
import { useEffect, useState } from "react";
import { useKeys } from "../shell/keys";
import { Button } from "./Button";
import { shared } from "./shared";

/** How long an act can be taken back, s. */
const SECONDS = 20;

type Act = {
  id: number;
  says: string;
  undo: (last: unknown) => unknown;
  redo: ((last: unknown) => unknown) | undefined;
  undone: boolean;
  /** What the last step gave, such as the version it made. */
  last: unknown;
  until: number;
};

const acts = shared<Act[]>([]);
let next = 1;
const soon = () => Date.now() + SECONDS * 1000;

/** Offers to undo what was just done, and to do it again then. Each step is given what the one before it gave; one that
 * is refused is offered again. */
export function offerUndo<T>(says: string, undo: (last?: T) => T | Promise<T>, redo?: (last: T) => T | Promise<T>) {
  const act = { id: next++, says, undo, redo, undone: false, last: undefined, until: soon() } as Act;
  acts.set([...acts.get(), act].slice(-3));
}

/** Removes an entry of a list that is written as a whole on the version it was read of, and offers to undo that. */
export async function removeListed<T>(
  says: string,
  all: T[],
  i: number,
  write: (to: T[], made_on?: number) => Promise<number>,
) {
  const left = all.filter((_, k) => k !== i);
  const made = await write(left);
  offerUndo<number>(
    says,
    (on = made) => write(all, on),
    (on) => write(left, on),
  );
}

/** Undoes an act or does it again; without a way to do it again it is gone once it is undone. */
async function step(a: Act) {
  const last = await (a.undone ? a.redo?.(a.last) : a.undo(a.last));
  const left = acts.get().filter((x) => x.id !== a.id);
  acts.set(a.redo ? [...left, { ...a, undone: !a.undone, last, until: soon() }] : left);
}

export function Undos() {
  const all = acts.use();
  const [wrong, setWrong] = useState("");
  const [now, setNow] = useState(Date.now());
  useEffect(() => {
    if (all.length === 0) return;
    setNow(Date.now());
    const tick = window.setInterval(() => {
      setNow(Date.now());
      const left = acts.get().filter((a) => a.until > Date.now());
      if (left.length !== acts.get().length) acts.set(left);
    }, 1000);
    return () => window.clearInterval(tick);
  }, [all]);
  const take = async (a: Act) => {
    setWrong("");
    try {
      await step(a);
    } catch (e) {
      setWrong((e as Error).message);
    }
  };
  const last = all.findLast((a) => !a.undone);
  const again = all.findLast((a) => a.undone);
  useKeys("Undo", [
    ...(last ? [{ key: "Control+z", says: `Undo: ${last.says}`, run: () => take(last) }] : []),
    ...(again ? [{ key: "Control+Shift+z", says: `Redo: ${again.says}`, run: () => take(again) }] : []),
  ]);
  if (all.length === 0) return null;
  return (
    <div className="fixed bottom-16 left-1/2 z-40 flex -translate-x-1/2 flex-col gap-1" role="status">
      {wrong && <span className="panel border-reef! px-3 py-1 text-[13px] text-reef">Not done: {wrong}</span>}
      {all.map((a) => (
        <span key={a.id} className="panel flex items-center gap-4 px-3 py-1 text-[13px] shadow-lg">
          {a.undone ? `Undone: ${a.says}` : a.says}
          <Button look="link" onClick={() => take(a)}>
            {a.undone ? "Redo" : "Undo"}
          </Button>
          <span aria-hidden className="num text-[12px] text-soft">
            {Math.max(0, Math.ceil((a.until - now) / 1000))} s
          </span>
        </span>
      ))}
    </div>
  );
}
