/** Blocks of the report in their order: chosen, added, moved, copied, removed. */
import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/react";
import { type KeyboardEvent, useEffect, useRef } from "react";
import type { RunBody, Schema } from "../../api/client";
import { LIST } from "../../ui/FindWord";
import { NamedButton } from "../../ui/NamedButton";
import { type Block, keptIn, kinds, lineOf, nameOf, type What } from "./blocks";

type Props = {
  blocks: Block[];
  runs: RunBody[];
  kept: Schema["KeptResultBody"][];
  /** Blocks that could not be made. */
  refused: Schema["RefusedBlock"][];
  chosen: number | undefined;
  onChoose: (id: number) => void;
  onAdd: (what: What) => void;
  onMove: (id: number, by: number) => void;
  onCopy: (id: number) => void;
  onFold: (id: number) => void;
  onRemove: (id: number) => void;
};

export function BlockList({
  blocks,
  runs,
  kept,
  refused,
  chosen,
  onChoose,
  onAdd,
  onMove,
  onCopy,
  onFold,
  onRemove,
}: Props) {
  const at = blocks.findIndex((b) => b.id === chosen);
  const list = useRef<HTMLOListElement>(null);
  const walked = useRef(false);
  // Where the keys walked, the focus goes with them, also when the order is another one.
  const order = blocks.map((b) => b.id).join();
  // biome-ignore lint/correctness/useExhaustiveDependencies: the order is what is waited for
  useEffect(() => {
    const here = list.current?.contains(document.activeElement) || document.activeElement === document.body;
    const own = list.current?.querySelector<HTMLElement>("[aria-current]");
    if (own && here && walked.current) own.focus();
    walked.current = false;
  }, [chosen, order]);
  const keys = (e: KeyboardEvent) => {
    const by = { ArrowUp: -1, ArrowDown: 1 }[e.key];
    if (by !== undefined && e.altKey && chosen !== undefined) onMove(chosen, by);
    else if (by !== undefined) {
      const next = blocks[Math.min(Math.max(at + by, 0), blocks.length - 1)];
      if (next) onChoose(next.id);
    } else if (e.key === "Delete" && chosen !== undefined) onRemove(chosen);
    else return;
    walked.current = true;
    e.preventDefault();
    e.stopPropagation();
  };
  return (
    <section aria-label="Blocks" className="panel flex min-h-0 flex-col">
      <ol
        ref={list}
        aria-label="Blocks of the report: arrows choose, Alt with arrows moves, Delete removes"
        className="min-h-0 flex-1 overflow-auto"
        onKeyDown={keys}
      >
        {blocks.map((b, i) => {
          const old = kept.find((k) => k.id === keptIn(b.show))?.stale;
          const wrong =
            refused.find((r) => r.id === b.id)?.says ?? (old ? "older than what was put right since" : undefined);
          return (
            <li key={b.id}>
              <button
                type="button"
                aria-current={b.id === chosen || undefined}
                className={`flex w-full gap-2 border-b border-rule px-3 py-2 text-left ${b.id === chosen ? "bg-shoal" : ""}`}
                onClick={() => onChoose(b.id)}
              >
                <span className="num w-5 text-soft">{i + 1}</span>
                <span className="min-w-0 flex-1">
                  <span className={`block truncate font-semibold ${b.folded ? "text-soft" : ""}`}>{nameOf(b)}</span>
                  <span className="block truncate text-[13px] leading-5 text-soft">
                    {b.folded ? "folded away, on no page" : lineOf(b, runs, kept)}
                  </span>
                  {wrong && <span className="block text-[13px] leading-5 text-lamp">▲ {wrong}</span>}
                </span>
              </button>
            </li>
          );
        })}
      </ol>
      <div className="flex items-center gap-1 border-t border-rule p-2">
        <Menu>
          <MenuButton className="inline-flex h-8 items-center gap-2 rounded-chart border border-ink bg-sheet px-3 font-semibold whitespace-nowrap hover:bg-shoal">
            Add a block
          </MenuButton>
          <MenuItems anchor="top start" className={LIST}>
            {(Object.keys(kinds) as What[]).map((what) => (
              <MenuItem key={what}>
                <button
                  type="button"
                  className="block w-full px-3 py-0.5 text-left data-focus:bg-shoal"
                  onClick={() => onAdd(what)}
                >
                  {kinds[what].says}
                </button>
              </MenuItem>
            ))}
          </MenuItems>
        </Menu>
        {chosen !== undefined && (
          <span className="ml-auto flex">
            {(
              [
                ["Move up", "↑", () => onMove(chosen, -1), at === 0],
                ["Move down", "↓", () => onMove(chosen, 1), at === blocks.length - 1],
                ["Copy", "Copy", () => onCopy(chosen), false],
                [
                  blocks[at]?.folded ? "Unfold" : "Fold",
                  blocks[at]?.folded ? "Unfold" : "Fold",
                  () => onFold(chosen),
                  false,
                ],
                ["Remove", "×", () => onRemove(chosen), blocks.length === 1],
              ] as const
            ).map(([says, sign, does, off]) => (
              <NamedButton
                key={says}
                label={`${says} the block`}
                className="h-8 min-w-7 rounded-chart px-1 text-soft hover:bg-shoal disabled:opacity-45"
                disabled={off}
                onClick={does}
              >
                {sign}
              </NamedButton>
            ))}
          </span>
        )}
      </div>
    </section>
  );
}
