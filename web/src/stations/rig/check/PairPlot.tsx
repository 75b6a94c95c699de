/** Pairs of a reference check with their straight line. */
import type { Fit, Pair } from "../../../api/client";
import { short } from "../../../ui/format";
import type { PlotFile } from "../../../ui/plot/file";
import { SaveMenu } from "../../../ui/plot/SaveMenu";

const [W, H, L, B] = [380, 230, 44, 30];

/** A round number not below x. */
function roof(x: number): number {
  const size = 10 ** Math.floor(Math.log10(x || 1));
  return [1, 2, 5, 10].map((k) => k * size).find((k) => k >= x) ?? x;
}

export function PairPlot({ pairs, fit, unit }: { pairs: Pair[]; fit: Fit | undefined; unit: string }) {
  const top = roof(Math.max(1e-9, ...pairs.flatMap((p) => [p.reference, p.reading])) * 1.05);
  const x = (v: number) => L + (v / top) * (W - L - 12);
  const y = (v: number) => H - B - (v / top) * (H - B - 10);
  const file = (): PlotFile => {
    if (pairs.length === 0) throw new Error("No pair is read yet.");
    const line = fit ? [{ name: "fit", x: [0, top], values: [fit.offset, fit.offset + fit.gain * top] }] : [];
    return {
      title: "Readings against the reference",
      size: [760, 460],
      x: { label: `reference, ${unit} rms`, from: 0, to: top },
      panes: [
        {
          label: `reading, ${unit} rms`,
          from: 0,
          to: top,
          curves: [
            { name: "pairs", x: pairs.map((p) => p.reference), values: pairs.map((p) => p.reading), points: true },
            ...line,
          ],
        },
      ],
      notes: [],
    };
  };
  const ticks = pairs.length ? [0, 0.25, 0.5, 0.75, 1].map((k) => k * top) : [];
  return (
    <div className="relative">
      <svg viewBox={`0 0 ${W} ${H}`} className="w-full px-2 pb-1" role="img" aria-label={`${pairs.length} pairs`}>
        {ticks.map((t) => (
          <g key={t} fontSize="11" fill="var(--ink-soft)">
            <line x1={x(0)} x2={x(top)} y1={y(t)} y2={y(t)} stroke="var(--graticule)" />
            <line x1={x(t)} x2={x(t)} y1={y(0)} y2={y(top)} stroke="var(--graticule)" />
            <text x={L - 5} y={y(t) + 4} textAnchor="end" className="num">
              {short(t, 3)}
            </text>
            <text x={x(t)} y={H - B + 14} textAnchor="middle" className="num">
              {short(t, 3)}
            </text>
          </g>
        ))}
        <text x={W - 12} y={H - 3} textAnchor="end" fontSize="11" fill="var(--ink-soft)">
          reference, {unit} rms
        </text>
        {fit && (
          <line
            x1={x(0)}
            y1={y(Math.max(fit.offset, 0))}
            x2={x(Math.min(top, (top - fit.offset) / fit.gain))}
            y2={y(Math.min(top, fit.offset + fit.gain * top))}
            stroke="var(--magenta)"
            strokeWidth="1.5"
          />
        )}
        {pairs.map((p, i) => (
          <circle
            // biome-ignore lint/suspicious/noArrayIndexKey: pairs are numbered by their order
            key={i}
            cx={x(p.reference)}
            cy={y(p.reading)}
            r="4"
            fill="none"
            stroke="var(--ink)"
            strokeWidth="1.5"
          />
        ))}
        {pairs.length === 0 && (
          <text x={W / 2} y={H / 2} textAnchor="middle" fontSize="13" fill="var(--ink-soft)">
            every pair appears here as it is read
          </text>
        )}
      </svg>
      <SaveMenu label="Readings against the reference" file={file} />
    </div>
  );
}
