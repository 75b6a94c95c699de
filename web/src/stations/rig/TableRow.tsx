/** One row of the channel table; drawn anew only when something of it changed. */
import { memo } from "react";
import type { Channel } from "../../api/client";
import { CellEditor } from "../../ui/CellEditor";
import type { EditingCell, Spot } from "../../ui/cells";
import type { Column } from "./columns";

type Props = {
  row: number;
  top: number;
  channel: Channel;
  shown: Column[];
  grid: string;
  caution: { grave: boolean; says: string } | undefined;
  /** Column of the active cell, −1 if it is in another row. */
  here: number;
  /** Selected columns, −1 if the row is not selected. */
  left: number;
  right: number;
  many: boolean;
  edit: EditingCell;
  options: string[] | undefined;
  onMove: (row: number, column: number, extend?: boolean) => void;
  onBegin: (spot: Spot, text?: string) => void;
  onEdit: (edit: EditingCell) => void;
  onCommit: (next?: Spot, everywhere?: boolean) => void;
  onBlur: () => void;
  onLeave: () => void;
};

function stateMark(on: boolean, caution: Props["caution"]) {
  if (!on) return { shape: "", says: "off", colour: "text-soft" };
  if (caution?.grave) return { shape: "■", says: caution.says, colour: "text-reef" };
  if (caution) return { shape: "▲", says: caution.says, colour: "text-lamp" };
  return { shape: "·", says: "in order", colour: "text-lee" };
}

function Row(p: Props) {
  const { channel: c, row, shown } = p;
  const mark = stateMark(c.on, p.caution);
  const selected = p.left >= 0;
  return (
    <div
      role="row"
      aria-selected={selected}
      className={`absolute right-0 left-0 grid h-[25px] items-center border-b border-rule/70 ${selected ? "bg-shoal/60" : ""} ${c.on ? "" : "text-soft"}`}
      // What is being typed, and why it is refused, lies over the rows below.
      style={{ gridTemplateColumns: p.grid, transform: `translateY(${p.top}px)`, ...(p.edit ? { zIndex: 5 } : {}) }}
    >
      <span role="gridcell" className={`text-center ${mark.colour}`} title={mark.says} aria-label={mark.says || "off"}>
        {mark.shape}
      </span>
      <span role="rowheader" className="num px-1">
        {c.label}
      </span>
      {shown.map((col, k) => {
        const editing = p.edit?.spot.column === k ? p.edit : undefined;
        const inside = k >= p.left && k <= p.right;
        return (
          <span
            key={col.key}
            id={`cell-${c.input}-${k}`}
            data-cell={`${c.input}-${col.key}`}
            role="gridcell"
            tabIndex={-1}
            className={`relative h-full px-1 leading-[25px] ${p.here === k ? "outline-2 -outline-offset-2 outline-harbour" : ""} ${inside && p.many ? "bg-shoal" : ""} ${col.right ? "text-right" : ""} ${col.mono ? "num" : ""}`}
            onMouseDown={(e) => p.onMove(row, k, e.shiftKey)}
            onMouseEnter={(e) => e.buttons === 1 && p.onMove(row, k, true)}
            onDoubleClick={() => p.onBegin({ row, column: k })}
            onKeyDown={() => undefined}
          >
            {editing ? (
              <CellEditor
                label={`${col.head} of input ${c.label}`}
                edit={editing}
                options={p.options}
                onText={(text) => p.onEdit({ ...editing, text })}
                onCancel={p.onLeave}
                onCommit={(dr, dc) => p.onCommit({ row: row + dr, column: k + dc })}
                onEverywhere={() => p.onCommit(undefined, true)}
                onBlur={p.onBlur}
              />
            ) : (
              <span className="block truncate">
                {c.on || c.name || col.key === "on" ? col.text(c) : col.key === "name" ? "free" : ""}
              </span>
            )}
          </span>
        );
      })}
      <span role="gridcell">
        <LevelBar input={c.input} label={c.label} on={c.on} />
      </span>
      <span role="gridcell" className="num px-2 text-right" data-rms={c.input} />
    </div>
  );
}

/** Equal but for the callbacks, which always do the same for the same row. */
export const TableRow = memo(Row, (a, b) => {
  if (a.edit || b.edit) return false;
  const keys: (keyof Props)[] = ["row", "top", "channel", "shown", "grid", "here", "left", "right", "many", "onMove"];
  return keys.every((k) => a[k] === b[k]) && a.caution?.says === b.caution?.says;
});

function LevelBar({ input, label, on }: { input: number; label: string; on: boolean }) {
  if (!on) return null;
  return (
    <span
      role="meter"
      aria-label={`Level of input ${label}, share of range`}
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
