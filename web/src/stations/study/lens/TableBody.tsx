/** A result as a table of values that goes to a spreadsheet. */
import { useMemo, useState } from "react";
import type { Analysis } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { axisName, digits } from "../../../ui/format";
import type { Range } from "../../../ui/plot/Plot";
import { copyText, saveCsv } from "../../../ui/save";

type Trace = Analysis["traces"][number];
type Column = { head: string; values: ArrayLike<number> };

/** Rows on the screen; the clipboard gets all. */
const SHOWN = 1000;

const columnsOf = (t: Trace): Column[] =>
  t.re
    ? [
        { head: `${t.name} re, ${t.unit}`, values: t.re },
        { head: `${t.name} im, ${t.unit}`, values: t.im ?? [] },
      ]
    : [
        {
          head: `${t.name}${t.quantity === "min" || t.quantity === "max" ? ` ${t.quantity}` : ""}, ${t.unit}`,
          values: t.values,
        },
      ];

export function TableBody({ result, traces, range }: { result: Analysis; traces: Trace[]; range?: Range | undefined }) {
  const [copied, setCopied] = useState("");
  const axis = result.axes[0];
  const { rows, columns } = useMemo(() => {
    const x = axis?.values ?? [];
    const inside = (v: number) => !range || (v >= range[0] && v <= range[1]);
    return {
      rows: Array.from({ length: x.length }, (_, i) => i).filter((i) => inside(x[i] ?? Number.NaN)),
      columns: traces.flatMap(columnsOf),
    };
  }, [axis, traces, range]);
  if (!axis) return null;
  const head = [axisName(axis.name, axis.unit), ...columns.map((c) => c.head)];
  const every = () => rows.map((i) => [axis.values[i], ...columns.map((c) => c.values[i])].map((v) => String(v ?? "")));
  const save = () => saveCsv([head, ...every()], result.recipe.lens);
  const copy = async () => {
    const lines = every().map((l) => l.join("\t"));
    try {
      await copyText([head.join("\t"), ...lines].join("\n"));
      setCopied(`${lines.length} rows are on the clipboard.`);
    } catch (e) {
      setCopied((e as Error).message);
    }
  };
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <p className="px-3 text-[12px] text-soft">
        <Button look="link" onClick={copy}>
          Copy
        </Button>{" "}
        <Button look="link" onClick={save}>
          CSV
        </Button>{" "}
        {copied ||
          (rows.length > SHOWN ? `the first ${SHOWN} of ${rows.length} rows; a copy has all` : `${rows.length} rows`)}
      </p>
      <div className="min-h-0 flex-1 overflow-auto px-3 pb-2">
        <table className="text-[13px]" aria-label="Values">
          <thead className="sticky top-0 bg-sheet text-right text-soft">
            <tr>
              {head.map((h) => (
                <th key={h} className="max-w-56 truncate pl-4 font-normal">
                  {h}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.slice(0, SHOWN).map((i) => (
              <tr key={i} className="border-t border-rule">
                <td className="num pl-4 text-right">{digits(axis.values[i], 7)}</td>
                {columns.map((c) => (
                  <td key={c.head} className="num pl-4 text-right">
                    {digits(c.values[i], 5)}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </div>
  );
}
