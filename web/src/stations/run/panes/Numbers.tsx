/** A few values in large figures, or all of them as a table: written into place without rendering. */
import { useRef } from "react";
import { usePicture } from "../../../api/live";
import { digits } from "../../../ui/format";
import type { PaneProps } from "./paneProps";

const columns = ["rms", "peak", "mean", "smallest", "largest"];

function useNumbers(p: PaneProps, write: (input: number, at: (k: number) => number) => void) {
  const inputs = p.shown.map((c) => c.input);
  const show = { show: "numbers" as const, inputs, seconds: p.pane.seconds ?? 1 };
  usePicture(p.frozen ? undefined : show, ({ inputs, values }) => {
    inputs.forEach((input, i) => {
      write(input, (k) => values[i * 5 + k] ?? Number.NaN);
    });
  });
}

export function NumbersPane(p: PaneProps) {
  const host = useRef<HTMLDivElement>(null);
  useNumbers(p, (input, at) => {
    const figure = host.current?.querySelector<HTMLElement>(`[data-input="${input}"]`);
    if (figure) figure.textContent = digits(at(0), 3);
  });
  return (
    <div ref={host} className="flex min-h-0 flex-1 flex-wrap content-start gap-x-8 gap-y-1 overflow-auto px-3 pb-2">
      {p.shown.map((c) => (
        <div key={c.input}>
          <p className="text-[12px] leading-4 text-soft">{c.name}</p>
          <p className="leading-9">
            <span data-input={c.input} className="num text-[32px]">
              –
            </span>{" "}
            <span className="text-[16px]">{c.unit} rms</span>
          </p>
        </div>
      ))}
    </div>
  );
}

export function TablePane(p: PaneProps) {
  const body = useRef<HTMLTableSectionElement>(null);
  useNumbers(p, (input, at) => {
    const row = body.current?.querySelector(`[data-input="${input}"]`);
    columns.forEach((_, k) => {
      const cell = row?.children[k + 1];
      if (cell) cell.textContent = digits(at(k), 3);
    });
  });
  return (
    <div className="min-h-0 flex-1 overflow-auto px-3 pb-2">
      <table className="w-full text-[13px]">
        <thead className="sticky top-0 bg-sheet text-left text-soft">
          <tr>
            <th className="font-normal">Channel</th>
            {columns.map((c) => (
              <th key={c} className="text-right font-normal">
                {c}
              </th>
            ))}
            <td />
          </tr>
        </thead>
        <tbody ref={body}>
          {p.shown.map((c) => (
            <tr key={c.input} data-input={c.input} className="border-t border-rule">
              <td className="truncate">{c.name}</td>
              {columns.map((k) => (
                <td key={k} className="num text-right" />
              ))}
              <td className="pl-2 text-soft">{c.unit}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
