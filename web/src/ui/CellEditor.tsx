/** A cell of a table while it is typed into; what was refused stays, with the reason under it. */
import { useEffect, useRef } from "react";
import type { EditingCell } from "./cells";

type Props = {
  label: string;
  edit: NonNullable<EditingCell>;
  options: string[] | undefined;
  onText: (text: string) => void;
  onCancel: () => void;
  onCommit: (rows: number, columns: number) => void;
  /** Ctrl+Enter. */
  onEverywhere: () => void;
  onBlur: () => void;
};

export function CellEditor({ label, edit, options, onText, onCancel, onCommit, onEverywhere, onBlur }: Props) {
  const list = `options-${label.replaceAll(" ", "-")}`;
  const box = useRef<HTMLInputElement>(null);
  useEffect(() => box.current?.focus(), []);
  return (
    <>
      <input
        ref={box}
        aria-label={label}
        aria-invalid={edit.wrong !== ""}
        list={options?.length ? list : undefined}
        className={`absolute inset-0 z-10 min-w-20 border-2 bg-sheet px-0.5 outline-none ${edit.wrong ? "border-reef" : "border-harbour"}`}
        value={edit.text}
        onChange={(e) => onText(e.target.value)}
        onBlur={() => !edit.wrong && onBlur()}
        onKeyDown={(e) => {
          e.stopPropagation();
          if (e.key === "Enter" && (e.ctrlKey || e.metaKey)) onEverywhere();
          else if (e.key === "Enter") onCommit(1, 0);
          else if (e.key === "Tab") {
            e.preventDefault();
            onCommit(0, e.shiftKey ? -1 : 1);
          } else if (e.key === "Escape") onCancel();
        }}
      />
      {options && options.length > 0 && (
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
