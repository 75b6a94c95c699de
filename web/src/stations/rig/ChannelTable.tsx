/** The channel table: arrows to move, type to overwrite, Enter to edit, Ctrl+D fill down, Ctrl+C and V, Ctrl+Z. */
import { useVirtualizer } from "@tanstack/react-virtual";
import { type KeyboardEvent, useEffect, useMemo, useRef, useState } from "react";
import type { Caution, Channel, ChannelChange, RigBody } from "../../api/client";
import { levelsOf, usePictures } from "../../api/live";
import { digits } from "../../ui/format";
import { columns } from "./columns";

type Cell = { row: number; column: number };
type Editing = { cell: Cell; text: string; wrong: string } | undefined;

const grid = `18px 34px ${columns.map((c) => c.width).join(" ")} 76px 50px`;

type Props = {
  rig: RigBody;
  rows: Channel[];
  selected: number;
  onSelect: (input: number) => void;
  /** Carries a change out; rejects with the reason. */
  onChange: (input: number, change: ChannelChange, column: number) => Promise<unknown>;
  onUndo: () => void;
};

function stateMark(c: Channel, cautions: Caution[]) {
  if (!c.on) return { shape: "", says: "off", colour: "text-soft" };
  const own = cautions.filter((k) => k.input === c.input);
  if (own.some((k) => k.rule === "clipped")) return { shape: "■", says: own[0]?.says ?? "", colour: "text-reef" };
  if (own.length > 0) return { shape: "▲", says: own[0]?.says ?? "", colour: "text-lamp" };
  return { shape: "·", says: "in order", colour: "text-lee" };
}

export function ChannelTable({ rig, rows, selected, onSelect, onChange, onUndo }: Props) {
  const scroller = useRef<HTMLDivElement>(null);
  const [at, setAt] = useState<Cell>({ row: 0, column: 1 });
  const [editing, setEditing] = useState<Editing>();
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => 25,
    overscan: 8,
  });
  const units = useMemo(() => new Map(rows.map((c) => [c.input, c])), [rows]);

  // Another selection (patch bay, finder) moves the cell there.
  useEffect(() => {
    const row = rows.findIndex((r) => r.input === selected);
    if (row >= 0) {
      setAt((a) => (a.row === row ? a : { ...a, row }));
      virtual.scrollToIndex(row);
    }
  }, [selected, rows, virtual]);

  // Levels are painted straight into the cells: no rendering twenty times a second.
  usePictures({ levels: true }, (p) => {
    if (p.kind !== "levels") return;
    for (const l of levelsOf(p)) {
      const cell = scroller.current?.querySelector<HTMLElement>(`[data-level="${l.input}"]`);
      const rms = scroller.current?.querySelector<HTMLElement>(`[data-rms="${l.input}"]`);
      const c = units.get(l.input);
      if (!cell || !rms || !c) continue;
      cell.style.setProperty("--now", `${Math.min(l.peak, 1) * 100}%`);
      cell.style.setProperty("--held", `${Math.min(l.held, 1) * 100}%`);
      cell.style.setProperty("--tone", l.overHeld ? "var(--reef)" : "var(--ink)");
      cell.setAttribute("aria-valuenow", String(Math.round(l.peak * 100)));
      rms.textContent = digits(l.rms * perRange(c), 3);
    }
  });

  const move = (row: number, column: number) => {
    const to = {
      row: Math.min(Math.max(row, 0), rows.length - 1),
      column: Math.min(Math.max(column, 0), columns.length - 1),
    };
    setAt(to);
    virtual.scrollToIndex(to.row);
    const input = rows[to.row]?.input;
    if (input !== undefined) onSelect(input);
  };

  const begin = (cell: Cell, text?: string) => {
    const c = rows[cell.row];
    const column = columns[cell.column];
    if (c && column) setEditing({ cell, text: text ?? column.text(c), wrong: "" });
  };

  const commit = async (next?: Cell) => {
    if (!editing) return;
    const c = rows[editing.cell.row];
    const column = columns[editing.cell.column];
    if (!c || !column) return;
    const done = () => {
      setEditing(undefined);
      if (next) move(next.row, next.column);
      scroller.current?.focus();
    };
    if (editing.text === column.text(c)) return done();
    try {
      await onChange(c.input, column.change(editing.text), editing.cell.column);
      done();
    } catch (e) {
      setEditing({ ...editing, wrong: (e as Error).message });
    }
  };

  const set = (row: number, column: number, text: string) => {
    const c = rows[row];
    const col = columns[column];
    if (!c || !col || col.text(c) === text) return;
    onChange(c.input, col.change(text), column).catch((e: Error) =>
      setEditing({ cell: { row, column }, text, wrong: e.message }),
    );
  };

  const key = (e: KeyboardEvent) => {
    if (editing) return;
    const { row, column } = at;
    const moves: Record<string, [number, number]> = {
      ArrowUp: [-1, 0],
      ArrowDown: [1, 0],
      ArrowLeft: [0, -1],
      ArrowRight: [0, 1],
      PageUp: [-15, 0],
      PageDown: [15, 0],
      Home: [0, -99],
      End: [0, 99],
    };
    const by = moves[e.key];
    const c = rows[row];
    const control = e.ctrlKey || e.metaKey;
    if (by) move(row + by[0], column + by[1]);
    else if (e.key === "Enter" || e.key === "F2") begin(at);
    else if (e.key === " " && column === 0 && c) set(row, 0, c.on ? "off" : "on");
    else if (control && e.key === "z") onUndo();
    else if (control && e.key === "d" && row > 0) {
      const above = rows[row - 1];
      const col = columns[column];
      if (above && col) set(row, column, col.text(above));
    } else if (control && e.key === "c" && c) navigator.clipboard?.writeText(columns[column]?.text(c) ?? "");
    else if (control && e.key === "v") navigator.clipboard?.readText().then((t) => set(row, column, t.trim()));
    else if (e.key.length === 1 && !control && !e.altKey) begin(at, e.key);
    else return;
    e.preventDefault();
    e.stopPropagation();
  };

  return (
    <div
      ref={scroller}
      role="grid"
      aria-label="Channels"
      aria-rowcount={rows.length}
      aria-activedescendant={`cell-${rows[at.row]?.input}-${at.column}`}
      tabIndex={0}
      onKeyDown={key}
      className="panel min-h-0 flex-1 overflow-auto font-narrow text-[13px] leading-[18px]"
    >
      <div
        role="row"
        className="sticky top-0 z-10 grid border-b border-ink bg-sheet text-soft"
        style={{ gridTemplateColumns: grid }}
      >
        <span />
        <span className="px-1 py-1.5">Input</span>
        {columns.map((c) => (
          <span key={c.key} role="columnheader" className={`truncate px-1 py-1.5 ${c.right ? "text-right" : ""}`}>
            {c.head}
          </span>
        ))}
        <span className="px-1 py-1.5">Now, held</span>
        <span className="px-2 py-1.5 text-right">rms</span>
      </div>
      <div className="relative" style={{ height: virtual.getTotalSize() }}>
        {virtual.getVirtualItems().map((v) => {
          const c = rows[v.index];
          if (!c) return null;
          const mark = stateMark(c, rig.cautions);
          return (
            <div
              key={c.input}
              role="row"
              aria-selected={c.input === selected}
              className={`absolute right-0 left-0 grid h-[25px] items-center border-b border-rule/70 ${c.input === selected ? "bg-shoal" : ""} ${c.on ? "" : "text-soft"}`}
              style={{ gridTemplateColumns: grid, transform: `translateY(${v.start}px)` }}
            >
              <span role="img" className={`text-center ${mark.colour}`} title={mark.says} aria-label={mark.says}>
                {mark.shape}
              </span>
              <span className="num px-1">{c.input}</span>
              {columns.map((col, k) => {
                const here = at.row === v.index && at.column === k;
                const edit = editing && editing.cell.row === v.index && editing.cell.column === k ? editing : undefined;
                return (
                  <span
                    key={col.key}
                    id={`cell-${c.input}-${k}`}
                    data-cell={`${c.input}-${col.key}`}
                    role="gridcell"
                    tabIndex={-1}
                    className={`relative h-full px-1 leading-[25px] ${here ? "outline-2 -outline-offset-2 outline-harbour" : ""} ${col.right ? "text-right" : ""} ${col.mono ? "num" : ""}`}
                    onMouseDown={() => move(v.index, k)}
                    onDoubleClick={() => begin({ row: v.index, column: k })}
                    onKeyDown={() => undefined}
                  >
                    {edit ? (
                      <CellEditor
                        label={`${col.head} of input ${c.input}`}
                        edit={edit}
                        options={col.options?.(c, rig)}
                        onText={(text) => setEditing({ ...edit, text })}
                        onCancel={() => {
                          setEditing(undefined);
                          scroller.current?.focus();
                        }}
                        onCommit={(dr, dc) => commit({ row: v.index + dr, column: k + dc })}
                        onLeave={() => commit()}
                      />
                    ) : (
                      <span className="block truncate">
                        {c.on || c.name || k === 0 ? col.text(c) : k === 1 ? "free" : ""}
                      </span>
                    )}
                  </span>
                );
              })}
              <LevelBar input={c.input} on={c.on} />
              <span className="num px-2 text-right" data-rms={c.input} />
            </div>
          );
        })}
      </div>
    </div>
  );
}

/** What one whole range is in the channel's shown unit; the factor itself comes from the server's table of units. */
function perRange(c: Channel): number {
  return c.full_scale ?? Number.NaN;
}

function LevelBar({ input, on }: { input: number; on: boolean }) {
  if (!on) return <span />;
  return (
    <span
      role="meter"
      aria-label={`Level of input ${input}, share of range`}
      aria-valuemin={0}
      aria-valuemax={100}
      aria-valuenow={0}
      data-level={input}
      className="relative mx-1 block h-[9px] bg-trough"
    >
      <span className="absolute inset-y-0 left-0" style={{ width: "var(--now, 0)", background: "var(--tone)" }} />
      <span
        className="absolute -inset-y-0.5 w-0.5"
        style={{ left: "min(var(--held, 0%), calc(100% - 2px))", background: "var(--tone)" }}
      />
    </span>
  );
}

type EditorProps = {
  label: string;
  edit: NonNullable<Editing>;
  options: string[] | undefined;
  onText: (text: string) => void;
  onCancel: () => void;
  onCommit: (rows: number, columns: number) => void;
  onLeave: () => void;
};

function CellEditor({ label, edit, options, onText, onCancel, onCommit, onLeave }: EditorProps) {
  const list = `options-${label.replaceAll(" ", "-")}`;
  const box = useRef<HTMLInputElement>(null);
  useEffect(() => box.current?.focus(), []);
  return (
    <>
      <input
        ref={box}
        aria-label={label}
        aria-invalid={edit.wrong !== ""}
        list={options ? list : undefined}
        className={`absolute inset-0 z-10 min-w-20 border-2 bg-sheet px-0.5 outline-none ${edit.wrong ? "border-reef" : "border-harbour"}`}
        value={edit.text}
        onChange={(e) => onText(e.target.value)}
        onBlur={() => !edit.wrong && onLeave()}
        onKeyDown={(e) => {
          e.stopPropagation();
          if (e.key === "Enter") onCommit(1, 0);
          else if (e.key === "Tab") {
            e.preventDefault();
            onCommit(0, e.shiftKey ? -1 : 1);
          } else if (e.key === "Escape") onCancel();
        }}
      />
      {options && (
        <datalist id={list}>
          {options.map((o) => (
            <option key={o} value={o} />
          ))}
        </datalist>
      )}
      {edit.wrong && (
        <span
          role="alert"
          className="panel absolute top-full left-0 z-20 mt-0.5 w-80 border-reef! bg-sheet px-2 py-1 text-left font-sans leading-4 whitespace-normal text-reef"
        >
          {edit.wrong}
        </span>
      )}
    </>
  );
}
