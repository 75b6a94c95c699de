/** Why an entry was refused, in a slip beside it that nothing covers; the newest one is read, the others wait to be looked at. */
import { type RefObject, useEffect, useLayoutEffect, useState } from "react";
import { createPortal } from "react-dom";
import { shared } from "./shared";

const newest = shared("");

const WIDTH = 288;

export function Refusal({ id, says, at }: { id: string; says: string; at: RefObject<HTMLElement | null> }) {
  const shown = newest.use() === id;
  const [place, setPlace] = useState<{ left: number; top: number }>();
  // biome-ignore lint/correctness/useExhaustiveDependencies: another sentence is a new refusal
  useEffect(() => newest.set(id), [id, says]);
  useEffect(() => {
    const field = at.current;
    const look = () => newest.set(id);
    field?.addEventListener("focus", look);
    field?.addEventListener("pointerenter", look);
    return () => {
      field?.removeEventListener("focus", look);
      field?.removeEventListener("pointerenter", look);
    };
  }, [id, at]);
  useLayoutEffect(() => {
    if (!shown) return;
    const put = () => {
      const box = at.current?.getBoundingClientRect();
      if (!box) return;
      const left = Math.max(8, Math.min(box.left, window.innerWidth - WIDTH - 8));
      // Above where there is no room below.
      const below = box.bottom + 4;
      setPlace({ left, top: below + 80 > window.innerHeight ? Math.max(8, box.top - 84) : below });
    };
    put();
    window.addEventListener("scroll", put, true);
    window.addEventListener("resize", put);
    return () => {
      window.removeEventListener("scroll", put, true);
      window.removeEventListener("resize", put);
    };
  }, [shown, at]);
  if (!shown)
    return (
      <span id={id} className="sr-only">
        {says}
      </span>
    );
  return createPortal(
    <span
      id={id}
      role="alert"
      className="panel fixed z-30 max-h-40 overflow-auto border-reef! px-2 py-1 text-[13px] leading-4 text-reef shadow-lg"
      style={{ width: WIDTH, left: place?.left ?? 0, top: place?.top ?? 0, visibility: place ? "visible" : "hidden" }}
    >
      {says}
    </span>,
    document.body,
  );
}
