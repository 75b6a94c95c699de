/** How much a point answered to each hit, over how hard it was: a linear structure answers every hit alike. */
import type { TapHit } from "../../../api/taps";
import { digits } from "../../../ui/format";

const [WIDE, HIGH] = [220, 190];
const EDGE = { left: 44, right: 10, top: 8, bottom: 30 };

export function HitLevels({ hits }: { hits: TapHit[] }) {
  const shown = hits.filter((h) => h.peak_n > 0 && h.answer > 0);
  if (shown.length === 0)
    return <p className="m-auto px-4 text-center text-soft">This comes with the first hits on this point.</p>;
  const most = 1.1 * Math.max(...shown.map((h) => h.peak_n));
  const top = 1.25 * Math.max(...shown.map((h) => h.answer));
  const x = (n: number) => EDGE.left + (n / most) * (WIDE - EDGE.left - EDGE.right);
  const y = (a: number) => HIGH - EDGE.bottom - (a / top) * (HIGH - EDGE.top - EDGE.bottom);
  const good = shown.filter((h) => h.good).map((h) => h.answer);
  const middle = [...good].sort((a, b) => a - b)[Math.floor(good.length / 2)];
  return (
    <svg
      viewBox={`0 0 ${WIDE} ${HIGH}`}
      className="m-auto min-h-0 w-full flex-1"
      role="img"
      aria-label={`Answer over hit level of ${shown.length} hits`}
    >
      <path
        d={`M ${EDGE.left} ${EDGE.top} V ${HIGH - EDGE.bottom} H ${WIDE - EDGE.right}`}
        stroke="var(--graticule)"
        fill="none"
      />
      {middle !== undefined && (
        <line
          x1={EDGE.left}
          x2={WIDE - EDGE.right}
          y1={y(middle)}
          y2={y(middle)}
          stroke="var(--ink-soft)"
          strokeDasharray="3 3"
        />
      )}
      {shown.map((h) => (
        <circle
          key={h.hit}
          cx={x(h.peak_n)}
          cy={y(h.answer)}
          r={h === shown.at(-1) ? 4.5 : 3.5}
          fill={h.good ? "var(--ink)" : "none"}
          stroke={h.good ? "var(--ink)" : "var(--reef)"}
          strokeWidth="1.5"
        >
          <title>
            {digits(h.peak_n, 3)} N, {h.word.toLowerCase()}
          </title>
        </circle>
      ))}
      <g fontSize="11" fill="var(--ink-soft)">
        <text x={EDGE.left} y={HIGH - 14} textAnchor="middle">
          0
        </text>
        <text x={WIDE - EDGE.right} y={HIGH - 14} textAnchor="end">
          {digits(most, 2)} N
        </text>
        <text x={EDGE.left + 4} y={HIGH - 2}>
          level of the hit; filled ones are good
        </text>
        <text x={EDGE.left - 4} y={y(middle ?? top) + 4} textAnchor="end">
          usual
        </text>
      </g>
    </svg>
  );
}
