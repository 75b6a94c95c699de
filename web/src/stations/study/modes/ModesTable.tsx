/** Modes in a table: frequency, damping, how they scatter, how complex they are, how alike by their MAC. */
import type { Analysis } from "../../../api/client";
import { digits } from "../../../ui/format";

type Props = { analysis: Analysis; chosen: number; onMode: (k: number) => void };

/** A MAC beside the diagonal from which two shapes are hard to tell apart. */
const ALIKE = 0.2;

export const numberOf = (a: Analysis, mode: number, name: string) =>
  a.numbers.find((n) => n.mode === mode && n.name === name)?.value ?? Number.NaN;

export const shapesOf = (a: Analysis) => a.traces.filter((t) => t.quantity === "shape");

export function ModesTable({ analysis, chosen, onMode }: Props) {
  const modes = shapesOf(analysis);
  const mac = analysis.traces.find((t) => t.quantity === "mac")?.values ?? [];
  const n = modes.length;
  return (
    <div className="min-h-0 flex-1 overflow-auto px-3 pb-2">
      <table className="w-full text-[13px] leading-[22px]" aria-label="Modes">
        <thead className="sticky top-0 bg-sheet text-right text-soft">
          <tr>
            <th className="w-6 text-left font-normal">Mode</th>
            <th className="font-normal">Hz</th>
            <th className="font-normal">Damping, %</th>
            <th className="font-normal">Complex</th>
            {modes.map((m) => (
              <th key={m.mode} className="num w-8 text-center font-normal text-mark">
                {m.mode}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {modes.map((m, k) => {
            const of = (name: string) => numberOf(analysis, m.mode ?? 0, name);
            return (
              <tr
                key={m.mode}
                className={`cursor-pointer border-t border-rule text-right ${k === chosen ? "bg-shoal" : ""}`}
                onClick={() => onMode(k)}
              >
                <td className="num text-left font-semibold text-mark">
                  <button
                    type="button"
                    aria-label={`Mode ${m.mode}`}
                    aria-pressed={k === chosen}
                    onClick={() => onMode(k)}
                  >
                    {m.mode}
                  </button>
                </td>
                <td className="num whitespace-nowrap" data-hz={of("frequency")}>
                  {digits(of("frequency"), 5)} <span className="text-soft">± {digits(of("frequency_scatter"), 2)}</span>
                </td>
                <td className="num whitespace-nowrap" data-damping={of("damping_ratio")}>
                  {digits(100 * of("damping_ratio"), 3)}{" "}
                  <span className="text-soft">± {digits(100 * of("damping_scatter"), 2)}</span>
                </td>
                <td className={`num ${of("complexity") > 0.1 ? "text-lamp" : ""}`}>
                  {digits(100 * of("complexity"), 2)} %
                </td>
                {modes.map((o, j) => {
                  const v = mac[k * n + j] ?? 0;
                  const side = Math.max(18 * Math.sqrt(v), 1.5);
                  const tone = k !== j && v > ALIKE ? "var(--lamp)" : "var(--ink)";
                  return (
                    <td key={o.mode} title={`MAC of ${m.mode} and ${o.mode}: ${v.toFixed(3)}`} data-mac={v.toFixed(3)}>
                      <span className="mx-auto block" style={{ width: side, height: side, background: tone }} />
                      <span className="sr-only">{v.toFixed(2)}</span>
                    </td>
                  );
                })}
              </tr>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}
