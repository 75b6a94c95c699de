/** The channel table, used like a spreadsheet from the keyboard.
 *
 * Arrows move, Shift extends, type to overwrite, Enter to edit, Ctrl+Enter sets all that is
 * selected, Ctrl+D fills down, Ctrl+Shift+D counts on, Ctrl+C and V, Ctrl+Z and Y.
 */
import { useVirtualizer } from "@tanstack/react-virtual";
import { type KeyboardEvent, useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { Cell, Channel, RigBody } from "../../api/client";
import { useLevels } from "../../api/live";
import { between, boxOf, type EditingCell, type Spot, walked } from "../../ui/cells";
import { digits } from "../../ui/format";
import { copyText } from "../../ui/save";
import { ColumnHead } from "./ColumnHead";
import { type Column, type Places, template } from "./columns";
import type { Editing } from "./editing";
import { TableRow } from "./TableRow";
import type { View } from "./view";

type Props = {
  rig: RigBody;
  places: Places | undefined;
  rows: Channel[];
  shown: Column[];
  view: View;
  onView: (part: Partial<View>) => void;
  selected: number;
  /** Rows that are selected, the active one first. */
  onSelect: (input: number, all: number[]) => void;
  editing: Editing;
  onError: (e: Error | undefined) => void;
};

const HEAD = 31;

export function ChannelTable({ rig, places, rows, shown, view, onView, selected, onSelect, editing, onError }: Props) {
  const scroller = useRef<HTMLDivElement>(null);
  const [at, setAt] = useState<Spot>({ row: 0, column: Math.min(1, shown.length - 1) });
  const [from, setFrom] = useState<Spot>(at);
  const [edit, setEdit] = useState<EditingCell>();
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => 25,
    overscan: 6,
    // The headings lie over the first row's place and stay there.
    scrollMargin: HEAD,
    scrollPaddingStart: HEAD,
    scrollPaddingEnd: 20,
  });
  const byInput = useMemo(() => new Map(rows.map((c) => [c.input, c])), [rows]);
  const grid = useMemo(() => template(shown), [shown]);
  const cautions = useMemo(() => {
    const all = new Map<number, { grave: boolean; says: string }>();
    for (const c of rig.cautions)
      if (c.input && !c.waived && !all.has(c.input)) all.set(c.input, { grave: c.grave, says: c.says });
    return all;
  }, [rig.cautions]);

  // Another selection (patch bay, finder, caution) moves the cell there.
  useEffect(() => {
    const row = rows.findIndex((r) => r.input === selected);
    if (row < 0) return;
    setAt((a) => {
      if (a.row === row) return a;
      setFrom({ ...a, row });
      return { ...a, row };
    });
    virtual.scrollToIndex(row);
  }, [selected, rows, virtual]);

  // Levels are painted straight into the cells on the screen: no rendering twenty times a second.
  useLevels((heard) => {
    if (!scroller.current) return;
    const levels = new Map(heard.map((l) => [l.input, l]));
    for (const cell of scroller.current.querySelectorAll<HTMLElement>("[data-level]")) {
      const l = levels.get(Number(cell.dataset.level));
      const c = l && byInput.get(l.input);
      if (!l || !c) continue;
      cell.style.setProperty("--now", `${Math.min(l.peak, 1) * 100}%`);
      cell.style.setProperty("--held", `${Math.min(l.held, 1) * 100}%`);
      cell.style.setProperty("--tone", l.overHeld ? "var(--reef)" : "var(--ink)");
      cell.setAttribute("aria-valuenow", String(Math.round(l.peak * 100)));
      const rms = cell.closest("[role=row]")?.querySelector<HTMLElement>("[data-rms]");
      if (!rms) continue;
      rms.style.color = l.circuit === "in order" ? "" : "var(--reef)";
      // Below the converter's own noise there is nothing to read.
      if (l.circuit !== "in order") rms.textContent = l.circuit === "open" ? "open" : "short";
      else rms.textContent = l.rms < 2e-5 ? "0" : digits(l.rms * (c.full_scale ?? Number.NaN), 3);
    }
  });

  const box = useMemo(() => boxOf(at, from), [at, from]);
  const inputsOf = useCallback(
    (top: number, bottom: number) => rows.slice(top, bottom + 1).map((r) => r.input),
    [rows],
  );
  const columnsOf = useCallback((left: number, right: number) => shown.slice(left, right + 1), [shown]);

  const move = useCallback(
    (row: number, column: number, extend = false) => {
      const to = { row: between(row, 0, rows.length - 1), column: between(column, 0, shown.length - 1) };
      const anchor = extend ? from : to;
      setAt(to);
      if (!extend) setFrom(to);
      virtual.scrollToIndex(to.row);
      const input = rows[to.row]?.input;
      if (input !== undefined) onSelect(input, inputsOf(Math.min(to.row, anchor.row), Math.max(to.row, anchor.row)));
    },
    [rows, shown, from, virtual, onSelect, inputsOf],
  );

  const selection = (text: (c: Channel, k: Column) => string): Cell[] =>
    rows
      .slice(box.top, box.bottom + 1)
      .flatMap((c) => columnsOf(box.left, box.right).map((k) => ({ input: c.input, column: k.key, text: text(c, k) })));

  // An editor that is closed on purpose loses the focus too; that is not to be taken for leaving it.
  const closing = useRef(false);
  const begin = (spot: Spot, text?: string) => {
    closing.current = false;
    const c = rows[spot.row];
    const column = shown[spot.column];
    if (c && column) setEdit({ spot, text: text ?? column.text(c), wrong: "" });
  };

  const commit = async (next?: Spot, everywhere = false) => {
    if (!edit) return;
    const c = rows[edit.spot.row];
    const column = shown[edit.spot.column];
    if (!c || !column) return;
    const done = () => {
      closing.current = true;
      setEdit(undefined);
      if (next) move(next.row, next.column);
      scroller.current?.focus();
    };
    if (everywhere && (box.bottom > box.top || box.right > box.left)) {
      const cells = selection(() => edit.text);
      // The table has the focus before the dialog takes it, so that it gets it back.
      done();
      return editing.look({ cells }, `${cells.length} cells set to “${edit.text}”`).catch(onError);
    }
    if (edit.text === column.text(c)) return done();
    try {
      await editing.writeCell(
        { input: c.input, column: column.key, text: edit.text },
        `input ${c.label}: ${column.head} ${edit.text}`,
      );
      done();
    } catch (e) {
      setEdit({ ...edit, wrong: (e as Error).message });
    }
  };

  const fill = (counting: boolean) => {
    const one = box.top === box.bottom;
    const inputs = inputsOf(one ? Math.max(box.top - 1, 0) : box.top, box.bottom);
    const keys = columnsOf(box.left, box.right).map((k) => k.key);
    if (inputs.length < 2) return;
    const what = `${keys.map((k) => shown.find((s) => s.key === k)?.head).join(", ")} ${counting ? "counted on" : "filled down"} over ${inputs.length - 1} rows`;
    const change = { fill: { inputs, columns: keys, counting } };
    // A row or two is seen at once; more is looked at first.
    (inputs.length > 4 ? editing.look(change, what) : editing.write(change, what)).catch(onError);
  };

  const copy = () => {
    const block = rows.slice(box.top, box.bottom + 1).map((c) =>
      columnsOf(box.left, box.right)
        .map((k) => k.text(c))
        .join("\t"),
    );
    copyText(block.join("\n")).catch(onError);
  };

  const paste = (text: string) => {
    const single = !/[\t\n]/.test(text.trim());
    const place = single
      ? { inputs: inputsOf(box.top, box.bottom), columns: columnsOf(box.left, box.right).map((k) => k.key) }
      : {
          inputs: inputsOf(box.top, rows.length - 1),
          columns: columnsOf(box.left, shown.length - 1).map((k) => k.key),
        };
    const change = { paste: { text, place } };
    const few = single && place.inputs.length * place.columns.length === 1;
    const what = few ? "pasted a cell" : "pasted from a spreadsheet";
    onError(undefined);
    (few ? editing.write(change, what) : editing.look(change, what)).catch(onError);
  };

  const key = (e: KeyboardEvent) => {
    if (edit) return;
    const { row, column } = at;
    const c = rows[row];
    const control = e.ctrlKey || e.metaKey;
    const letter = e.key.toLowerCase();
    const to = walked(e, at, rows.length);
    if (to) {
      move(to.row, to.column, e.shiftKey);
    } else if (e.key === "Enter" || e.key === "F2") begin(at);
    else if (e.key === " " && e.shiftKey) {
      setFrom({ row: from.row, column: 0 });
      setAt({ row, column: shown.length - 1 });
    } else if (e.key === " " && shown[column]?.key === "on" && c) {
      const cells = selection(() => (c.on ? "off" : "on"));
      editing.write({ cells }, `${cells.length} rows ${c.on ? "off" : "on"}`).then(report, onError);
    } else if (e.key === "Delete") {
      const cells = selection(() => "");
      editing.write({ cells }, `emptied ${cells.length} cells`).then(report, onError);
    } else if (control && letter === "a") {
      setFrom({ row: 0, column: 0 });
      setAt({ row: rows.length - 1, column: shown.length - 1 });
      if (c) onSelect(c.input, inputsOf(0, rows.length - 1));
    } else if (control && letter === "z" && !e.shiftKey) editing.takeBack().catch(onError);
    else if (control && (letter === "y" || letter === "z")) editing.again().catch(onError);
    else if (control && letter === "d") fill(e.shiftKey);
    else if (control && letter === "c") copy();
    else if (control && letter === "v") return;
    else if (e.key.length === 1 && !control && !e.altKey) begin(at, e.key);
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  const report = (answer: { refused: { says: string }[] }) => {
    const first = answer.refused[0];
    onError(first ? new Error(first.says) : undefined);
  };

  return (
    <div
      ref={scroller}
      role="grid"
      aria-label="Channels"
      aria-rowcount={rows.length}
      aria-multiselectable
      aria-activedescendant={`cell-${rows[at.row]?.input}-${at.column}`}
      tabIndex={0}
      onKeyDown={key}
      onPaste={(e) => {
        if (edit) return;
        e.preventDefault();
        paste(e.clipboardData.getData("text/plain"));
      }}
      className="panel min-h-0 flex-1 overflow-auto font-narrow text-[13px] leading-[18px]"
    >
      <div
        role="row"
        // What is typed into a heading's filter is no cell's.
        onKeyDown={(e) => e.stopPropagation()}
        onPaste={(e) => e.stopPropagation()}
        className="sticky top-0 z-10 grid border-b border-ink bg-sheet text-soft"
        style={{ gridTemplateColumns: grid }}
      >
        <span />
        <ColumnHead name="input" head="Input" view={view} onView={onView} />
        {shown.map((c) => (
          <ColumnHead key={c.key} name={c.key} head={c.head} right={c.right} view={view} onView={onView} />
        ))}
        <span className="truncate px-1 py-1.5">Now, held</span>
        <span className="px-2 py-1.5 text-right">rms</span>
      </div>
      <div className="relative" style={{ height: virtual.getTotalSize() }}>
        {virtual.getVirtualItems().map((v) => {
          const c = rows[v.index];
          if (!c) return null;
          const inside = v.index >= box.top && v.index <= box.bottom;
          return (
            <TableRow
              key={c.input}
              row={v.index}
              top={v.start - HEAD}
              channel={c}
              shown={shown}
              grid={grid}
              caution={cautions.get(c.input)}
              here={at.row === v.index ? at.column : -1}
              left={inside ? box.left : -1}
              right={inside ? box.right : -1}
              many={box.bottom > box.top || box.right > box.left}
              edit={edit?.spot.row === v.index ? edit : undefined}
              options={
                edit?.spot.row === v.index ? shown[edit.spot.column]?.options?.(c, rig, places, edit.text) : undefined
              }
              onMove={move}
              onBegin={begin}
              onEdit={setEdit}
              onCommit={commit}
              onBlur={() => !closing.current && commit()}
              onLeave={() => {
                closing.current = true;
                setEdit(undefined);
                scroller.current?.focus();
              }}
            />
          );
        })}
      </div>
      {rows.length === 0 && <p className="p-4 text-soft">No row fits the search and the filters.</p>}
    </div>
  );
}
