/** The recording drawn along time: what is kept from before, the take, the hold-off, every recorder. */
import type { PlanBody } from "../../api/client";
import { rate, short, span, withUnit } from "../../ui/format";
import { Panel } from "../../ui/Panel";

const LEFT = 170;
const WIDE = 960;

export function Timing({ body }: { body: PlanBody }) {
  const { plan, sums } = body;
  const duration = plan.length.ends === "after" ? plan.length.duration_s : undefined;
  const start = plan.start;
  const pre = start?.pre_s ?? 0;
  const hold = start?.hold_off_s ?? 0;
  const triggered = (start?.conditions?.length ?? 0) > 0;
  const takes = triggered && duration && start?.takes !== 1 ? 2 : 1;
  const length = duration ?? Math.max(60, 4 * pre);
  // The second take stands where the next trigger could come, with some waiting in between.
  const firstAt = pre + (triggered ? 0.15 * length : 0);
  // Where they may overlap, the next one stands where it does at its earliest.
  const overlap = sums.overlap !== null && sums.overlap !== undefined;
  const apart = overlap ? Math.max(hold, 0.35 * length) : Math.max(length, hold) + pre + 0.3 * (length + pre);
  const ends = firstAt + (takes - 1) * apart + length;
  const shown = ends * (duration ? 1.06 : 1);
  const x = (t: number) => LEFT + (t / shown) * WIDE;
  const step = 10 ** Math.floor(Math.log10(shown / 4));
  const each = [1, 2, 5, 10].map((k) => k * step).find((s) => shown / s <= 9) ?? step * 10;
  const ticks = Array.from({ length: Math.floor(shown / each) + 1 }, (_, k) => k * each);
  const rows = sums.recorders;
  const rowHigh = rows.length > 3 ? 26 : 36;
  const top = 34;
  const foot = top + rows.length * rowHigh;
  const recorders = plan.recorders?.length ? plan.recorders : [{ name: "A", keeps: "takes" as const }];
  const triggers = Array.from({ length: takes }, (_, k) => firstAt + k * apart);
  const says = [
    pre > 0 ? `${span(pre)} before` : "",
    duration ? `${span(duration)} after each trigger` : "until somebody stops it",
    hold > 0 ? `then ${span(hold)} hold-off` : "",
  ]
    .filter(Boolean)
    .join(", ");
  return (
    <Panel
      title={plan.run_kind || "A run"}
      says={triggered || pre > 0 ? says : duration ? `one take of ${span(duration)}` : says}
    >
      {overlap && (
        <p role="status" className="px-3 text-[18px] leading-7 font-semibold text-lamp">
          ▲ {sums.overlap}
        </p>
      )}
      <svg viewBox={`0 0 1154 ${foot + 46}`} className="w-full" style={{ maxHeight: 210 }}>
        <title>The recording along time</title>
        {rows.map((r, i) => {
          const y = top + i * rowHigh;
          const h = rowHigh - 8;
          const keeps = recorders[i]?.keeps ?? "takes";
          return (
            <g key={r.name}>
              <text x="14" y={y + h / 2 + 5} fontSize="13" fill="var(--ink)">
                {r.name} {rate(r.sample_rate_hz)}, {r.channels} ch
              </text>
              <path d={`M${LEFT} ${y + h}H${LEFT + WIDE}`} stroke="var(--graticule)" />
              {keeps === "everything" && (
                <Bar x={x(0)} w={x(ends) - x(0)} y={y} h={h} tone="var(--ink-soft)" says="from arming until the end" />
              )}
              {keeps === "by_hand" && (
                <text x={x(0) + 6} y={y + h / 2 + 4} fontSize="12" fill="var(--ink-soft)">
                  started and stopped by hand
                </text>
              )}
              {keeps === "takes" &&
                triggers.map((t, k) => (
                  // A take that overlaps the one before it stands lower, so that both are seen.
                  <g
                    key={t}
                    transform={overlap && k > 0 ? `translate(0 ${h / 2})` : undefined}
                    opacity={overlap ? 0.75 : 1}
                  >
                    {pre > 0 && (
                      <>
                        <rect
                          x={x(t - pre)}
                          y={y}
                          width={x(t) - x(t - pre)}
                          height={h}
                          fill="var(--shoal)"
                          stroke="var(--ink)"
                        />
                        {x(t) - x(t - pre) > 44 && (
                          <text x={x(t - pre) + 6} y={y + h / 2 + 4} fontSize="12" className="num" fill="var(--ink)">
                            {span(pre)}
                          </text>
                        )}
                      </>
                    )}
                    <Bar
                      x={x(t)}
                      w={x(t + length) - x(t)}
                      y={y}
                      h={h}
                      tone="var(--ink)"
                      says={duration ? span(duration) : "until Stop"}
                    />
                    {hold > length && (
                      <rect
                        x={x(t + length)}
                        y={y}
                        width={Math.max(x(t + hold) - x(t + length), 0)}
                        height={h}
                        fill="none"
                        stroke="var(--ink-soft)"
                        strokeDasharray="3 3"
                      />
                    )}
                  </g>
                ))}
            </g>
          );
        })}
        {triggers.map((t, k) => {
          const word = triggered ? `take ${k + 1}` : "Record";
          const wide = word.length * 7 + 12;
          return (
            <g key={t}>
              <path
                d={`M${x(t)} ${foot}V12h${wide}l-5 7 5 7H${x(t)}`}
                fill="none"
                stroke="var(--magenta)"
                strokeWidth="1.5"
              />
              <text x={x(t) + 5} y="23" fontSize="11" fill="var(--magenta)" className="num">
                {word}
              </text>
            </g>
          );
        })}
        {triggered && takes > 1 && !overlap && (
          <text
            x={(x(firstAt + length) + x(firstAt + apart - pre)) / 2}
            y={top - 6}
            fontSize="12"
            textAnchor="middle"
            fill="var(--ink-soft)"
          >
            armed{pre > 0 ? `, keeps the last ${span(pre)}` : ""}
          </text>
        )}
        <rect
          x={x(firstAt)}
          y={foot}
          width={Math.max((sums.block_s / shown) * WIDE, 1)}
          height="6"
          fill="var(--harbour)"
        />
        <text
          x={x(firstAt) + Math.max((sums.block_s / shown) * WIDE, 1) + 8}
          y={foot + 8}
          fontSize="12"
          fill="var(--ink-soft)"
        >
          one block, {withUnit(sums.block_s, "s", 3)}
        </text>
        <path d={`M${LEFT} ${foot + 14}H1140`} stroke="var(--ink)" />
        {ticks.map((t) => (
          <g key={t}>
            <path d={`M${x(t)} ${foot + 14}v5`} stroke="var(--ink)" />
            <text x={x(t)} y={foot + 32} fontSize="11" textAnchor="middle" fill="var(--ink-soft)" className="num">
              {short(t)}
            </text>
          </g>
        ))}
        <text x="1140" y={foot + 43} fontSize="11" textAnchor="end" fill="var(--ink-soft)">
          s after {triggered ? "arming" : "Record"}
        </text>
      </svg>
    </Panel>
  );
}

function Bar({ x, w, y, h, tone, says }: { x: number; w: number; y: number; h: number; tone: string; says: string }) {
  return (
    <g>
      <rect x={x} y={y} width={Math.max(w, 1)} height={h} fill={tone} />
      {w > 60 && (
        <text x={x + 8} y={y + h / 2 + 4} fontSize="12" fill="var(--sheet)" className="num">
          {says}
        </text>
      )}
    </g>
  );
}
