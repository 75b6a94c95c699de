/** Modes in a table: frequency, damping, how they scatter, how complex they are, how alike by their MAC. */
import type { Analysis, Schema } from "../../../api/client";
import { digits } from "../../../ui/format";
import { placed } from "../results/Shapes";

type Props = {
  analysis: Analysis;
  /** How much each mode scatters over halves of the hits, where that was asked for. */
  halves?: Schema["HalfScatter"][] | undefined;
  chosen: number;
  onMode: (k: number) => void;
};

const scatter = (halves: boolean) =>
  `± how much it scatters over ${halves ? "halves of the hits" : "the orders of the diagram"}`;

/** A MAC beside the diagonal from which two shapes are hard to tell apart. */
const ALIKE = 0.2;

export const numberOf = (a: Analysis, mode: number, name: string) =>
  a.numbers.find((n) => n.mode === mode && n.name === name)?.value ?? Number.NaN;

export const shapesOf = (a: Analysis) => a.traces.filter((t) => t.quantity === "shape");

export function ModesTable({ analysis, halves, chosen, onMode }: Props) {
  const modes = shapesOf(analysis);
  const mac = analysis.traces.find((t) => t.quantity === "mac")?.values ?? [];
  const n = modes.length;
  // Of a run in operation: the same, read of the bell of its spectrum, and whether it is a mode at all.
  const bells = analysis.numbers.some((x) => x.name === "bell_damping_ratio");
  const references = analysis.axes[3]?.dofs ?? [];
  // Forces are known where somebody hits.
  const shares = (!bells && analysis.traces.find((t) => t.quantity === "participation")?.values) || [];
  return (
    <div className="min-h-0 flex-1 overflow-auto px-3 pb-2">
      <table className="w-full text-[13px] leading-[22px] [&_td]:pl-2 [&_th]:pl-2" aria-label="Modes">
        <thead className="sticky top-0 bg-sheet text-right text-soft">
          <tr>
            <th className="w-6 text-left font-normal">Mode</th>
            <th className="font-normal" title={scatter(halves !== undefined)}>
              Hz
            </th>
            <th className="font-normal" title={scatter(halves !== undefined)}>
              Damping, %
            </th>
            {bells && (
              <>
                <th className="font-normal" title="damping read of the bell of its spectrum, apart from the poles">
                  Bell, %
                </th>
                <th className="font-normal" title="0 for noise that rings through a mode, −1 for something that turns">
                  Steady
                </th>
              </>
            )}
            <th className="font-normal">Complex</th>
            {shares.length > 0 &&
              references.map((r) => (
                <th key={placed(r)} className="font-normal" title={`how much the force at ${placed(r)} moves the mode`}>
                  by {placed(r)}
                </th>
              ))}
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
            const half = halves?.find((h) => h.mode === m.mode);
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
                  {digits(of("frequency"), 5)}{" "}
                  <span className="text-soft" data-half-hz={half?.frequency_hz}>
                    ± {digits(half?.frequency_hz ?? of("frequency_scatter"), 2)}
                  </span>
                </td>
                <td className="num whitespace-nowrap" data-damping={of("damping_ratio")}>
                  {digits(100 * of("damping_ratio"), 3)}{" "}
                  <span className="text-soft">± {digits(100 * (half?.damping_ratio ?? of("damping_scatter")), 2)}</span>
                </td>
                {bells && (
                  <>
                    <td className="num text-soft" data-bell={of("bell_damping_ratio")}>
                      {digits(100 * of("bell_damping_ratio"), 3)}
                    </td>
                    <td className={`num ${of("steadiness") < -0.5 ? "text-lamp" : "text-soft"}`}>
                      {digits(of("steadiness"), 2)}
                    </td>
                  </>
                )}
                <td className={`num whitespace-nowrap ${of("complexity") > 0.1 ? "text-lamp" : ""}`}>
                  {digits(100 * of("complexity"), 2)} %
                </td>
                {shares.length > 0 &&
                  references.map((r, j) => (
                    <td key={placed(r)} className="num text-soft">
                      {digits(shares[k * references.length + j], 2)}
                    </td>
                  ))}
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
