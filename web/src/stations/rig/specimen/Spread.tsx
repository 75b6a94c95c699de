/** A table that is used like a spreadsheet: arrows walk, typing overwrites, Enter edits, Ctrl+D fills down, Ctrl+Shift+D
 * counts on, Ctrl+C and V, Del removes rows, Ctrl+Z and Y. The row after the last is a new one. */
import { useVirtualizer } from "@tanstack/react-virtual";
import { type KeyboardEvent, useEffect, useMemo, useRef, useState } from "react";
import { CellEditor } from "../../../ui/CellEditor";
import { between, boxOf, type EditingCell, type Spot, walked } from "../../../ui/cells";
import { copyText } from "../../../ui/save";
import type { Column, ColumnKey } from "./tables";

type Props = {
  label: string;
  columns: Column[];
  rows: number;
  text: (row: number, column: ColumnKey) => string;
  /** The row the cell is in, chosen elsewhere. */
  chosen: number | undefined;
  marked: Set<number>;
  onRows: (rows: number[]) => void;
  onCell: (row: number, column: ColumnKey, text: string) => Promise<unknown>;
  onPaste: (row: number, column: ColumnKey, text: string) => Promise<unknown>;
  onFill: (rows: number[], columns: ColumnKey[], counting: boolean) => Promise<unknown>;
  onRemove: (rows: number[]) => Promise<unknown>;
  onUndo: () => Promise<unknown>;
  onRedo: () => Promise<unknown>;
  onError: (e: Error | undefined) => void;
};

const HEAD = 29;
const upTo = (from: number, to: number) => Array.from({ length: to - from + 1 }, (_, i) => from + i);

export function Spread(p: Props) {
  const scroller = useRef<HTMLDivElement>(null);
  const [at, setAt] = useState<Spot>({ row: 0, column: 0 });
  const [from, setFrom] = useState<Spot>(at);
  const [edit, setEdit] = useState<EditingCell>();
  const closing = useRef(false);
  const all = p.rows + 1;
  const virtual = useVirtualizer({
    count: all,
    getScrollElement: () => scroller.current,
    estimateSize: () => 24,
    overscan: 8,
    scrollMargin: HEAD,
    scrollPaddingStart: HEAD,
    scrollPaddingEnd: 20,
  });
  const grid = useMemo(() => `44px ${p.columns.map((c) => c.width).join(" ")}`, [p.columns]);
  const box = useMemo(() => boxOf(at, from), [at, from]);
  const { chosen } = p;
  useEffect(() => {
    if (chosen === undefined) return;
    setAt((a) => (a.row === chosen ? a : { ...a, row: chosen }));
    setFrom((f) => (f.row === chosen ? f : { ...f, row: chosen }));
    virtual.scrollToIndex(chosen);
  }, [chosen, virtual]);

  const move = (row: number, column: number, extend = false) => {
    const to = { row: between(row, 0, all - 1), column: between(column, 0, p.columns.length - 1) };
    const anchor = extend ? from : to;
    setAt(to);
    if (!extend) setFrom(to);
    virtual.scrollToIndex(to.row);
    const [first, last] = [Math.min(to.row, anchor.row), Math.min(Math.max(to.row, anchor.row), p.rows - 1)];
    p.onRows(first <= last ? upTo(first, last) : []);
  };
  const does = (what: Promise<unknown>) => {
    p.onError(undefined);
    return what.catch(p.onError);
  };
  const begin = (spot: Spot, text?: string) => {
    closing.current = false;
    const column = p.columns[spot.column];
    if (column) setEdit({ spot, text: text ?? p.text(spot.row, column.key), wrong: "" });
  };
  const close = () => {
    closing.current = true;
    setEdit(undefined);
    scroller.current?.focus();
  };
  const commit = async (next?: Spot) => {
    if (!edit) return;
    const column = p.columns[edit.spot.column];
    if (!column) return;
    const { row } = edit.spot;
    if (edit.text !== p.text(row, column.key)) {
      try {
        await p.onCell(row, column.key, edit.text);
      } catch (e) {
        return setEdit({ ...edit, wrong: (e as Error).message });
      }
    }
    close();
    if (next) move(next.row, next.column);
  };
  const selected = () => upTo(box.top, Math.min(box.bottom, p.rows - 1));
  const fill = (counting: boolean) => {
    const rows = box.top === box.bottom && box.top > 0 ? [box.top - 1, box.top] : selected();
    const columns = p.columns.slice(box.left, box.right + 1).map((c) => c.key);
    if (rows.length > 1) does(p.onFill(rows, columns, counting));
  };
  const copy = () => {
    const line = (row: number) => p.columns.slice(box.left, box.right + 1).map((c) => p.text(row, c.key));
    does(
      copyText(
        selected()
          .map((row) => line(row).join("\t"))
          .join("\n"),
      ),
    );
  };
  const key = (e: KeyboardEvent) => {
    if (edit) return;
    const control = e.ctrlKey || e.metaKey;
    const letter = e.key.toLowerCase();
    const to = walked(e, at, all);
    if (to) move(to.row, to.column, e.shiftKey);
    else if (e.key === "Enter" || e.key === "F2") begin(at);
    else if (e.key === "Delete" || (control && e.key === "-")) {
      const rows = selected();
      if (rows.length) does(p.onRemove(rows));
    } else if (control && letter === "a") {
      setFrom({ row: 0, column: 0 });
      setAt({ row: Math.max(p.rows - 1, 0), column: p.columns.length - 1 });
      p.onRows(upTo(0, p.rows - 1));
    } else if (control && letter === "z" && !e.shiftKey) does(p.onUndo());
    else if (control && (letter === "y" || letter === "z")) does(p.onRedo());
    else if (control && letter === "d") fill(e.shiftKey);
    else if (control && letter === "c") copy();
    else if (e.key.length === 1 && !control && !e.altKey) begin(at, e.key);
    else return;
    e.preventDefault();
    e.stopPropagation();
  };

  return (
    <div
      ref={scroller}
      role="grid"
      aria-label={p.label}
      aria-rowcount={all}
      aria-multiselectable
      aria-activedescendant={`spread-${at.row}-${at.column}`}
      tabIndex={0}
      onKeyDown={key}
      onPaste={(e) => {
        if (edit) return;
        e.preventDefault();
        const column = p.columns[box.left];
        if (column) does(p.onPaste(box.top, column.key, e.clipboardData.getData("text/plain")));
      }}
      className="min-h-0 flex-1 overflow-auto font-narrow text-[13px] leading-[18px]"
    >
      <div
        role="row"
        className="sticky top-0 z-10 grid border-b border-ink bg-sheet text-soft"
        style={{ gridTemplateColumns: grid }}
      >
        <span role="columnheader" className="px-2 py-1.5 text-right">
          Row
        </span>
        {p.columns.map((c) => (
          <span key={c.key} role="columnheader" className={`truncate px-1.5 py-1.5 ${c.right ? "text-right" : ""}`}>
            {c.head}
          </span>
        ))}
      </div>
      <div className="relative" style={{ height: virtual.getTotalSize() }}>
        {virtual.getVirtualItems().map((v) => {
          const row = v.index;
          const inside = row >= box.top && row <= box.bottom;
          const here = edit?.spot.row === row;
          return (
            <div
              key={row}
              role="row"
              aria-selected={inside || p.marked.has(row)}
              className={`absolute right-0 left-0 grid h-6 items-center border-b border-rule/70 ${inside ? "bg-shoal/60" : p.marked.has(row) ? "bg-shoal/40" : ""}`}
              style={{
                gridTemplateColumns: grid,
                transform: `translateY(${v.start - HEAD}px)`,
                ...(here ? { zIndex: 5 } : {}),
              }}
            >
              <span role="rowheader" className="num px-2 text-right text-soft">
                {row < p.rows ? row + 1 : "+"}
              </span>
              {p.columns.map((c, k) => {
                const editing = here && edit?.spot.column === k ? edit : undefined;
                const active = at.row === row && at.column === k;
                return (
                  <span
                    key={c.key}
                    id={`spread-${row}-${k}`}
                    data-cell={`${row + 1}-${c.key}`}
                    role="gridcell"
                    tabIndex={-1}
                    className={`relative h-full px-1.5 leading-6 ${active ? "outline-2 -outline-offset-2 outline-harbour" : ""} ${c.right ? "num text-right" : ""}`}
                    onMouseDown={(e) => move(row, k, e.shiftKey)}
                    onMouseEnter={(e) => e.buttons === 1 && move(row, k, true)}
                    onDoubleClick={() => begin({ row, column: k })}
                    onKeyDown={() => undefined}
                  >
                    {editing ? (
                      <CellEditor
                        label={`${c.head} of row ${row + 1}`}
                        edit={editing}
                        options={undefined}
                        onText={(text) => setEdit({ ...editing, text })}
                        onCancel={close}
                        onCommit={(dr, dc) => commit({ row: row + dr, column: k + dc })}
                        onEverywhere={() => commit()}
                        onBlur={() => !closing.current && commit()}
                      />
                    ) : (
                      <span className="block truncate">
                        {row < p.rows ? p.text(row, c.key) : k === 0 ? <span className="text-soft">new</span> : ""}
                      </span>
                    )}
                  </span>
                );
              })}
            </div>
          );
        })}
      </div>
    </div>
  );
}
