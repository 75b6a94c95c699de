/** What was deleted or removed can be taken back for a while: a slip at the foot of the page says for how long. */
import { useEffect, useState } from "react";
import { useKeys } from "../shell/keys";
import { Button } from "./Button";
import { shared } from "./shared";

/** How long an act can be taken back, s. */
const SECONDS = 20;

type Act = { id: number; says: string; undo: () => unknown; until: number };

const acts = shared<Act[]>([]);
let next = 1;

/** Offers to take back what was just done; `undo` may refuse, and is offered again then. */
export function offerUndo(says: string, undo: () => unknown) {
  acts.set([...acts.get(), { id: next++, says, undo, until: Date.now() + SECONDS * 1000 }].slice(-3));
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
  const undo = async (a: Act) => {
    setWrong("");
    try {
      await a.undo();
      acts.set(acts.get().filter((x) => x.id !== a.id));
    } catch (e) {
      setWrong((e as Error).message);
    }
  };
  const last = all.at(-1);
  useKeys("Undo", last ? [{ key: "Control+z", says: `Undo: ${last.says}`, run: () => undo(last) }] : []);
  if (all.length === 0) return null;
  return (
    <div className="fixed bottom-16 left-1/2 z-40 flex -translate-x-1/2 flex-col gap-1" role="status">
      {wrong && <span className="panel border-reef! px-3 py-1 text-[13px] text-reef">Not undone: {wrong}</span>}
      {all.map((a) => (
        <span key={a.id} className="panel flex items-center gap-4 px-3 py-1 text-[13px] shadow-lg">
          {a.says}
          <Button look="link" onClick={() => undo(a)}>
            Undo
          </Button>
          <span aria-hidden className="num text-[12px] text-soft">
            {Math.max(0, Math.ceil((a.until - now) / 1000))} s
          </span>
        </span>
      ))}
    </div>
  );
}
