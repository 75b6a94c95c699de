/** Points of a series: how far each is, and how well it was measured. */
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef } from "react";
import type { Series, TapHit, TapPoint } from "../../../api/taps";
import { Button } from "../../../ui/Button";
import { digits } from "../../../ui/format";
import { Panel } from "../../../ui/Panel";

const signs: Record<TapPoint["state"], { shape: string; says: string }> = {
  open: { shape: "○", says: "to come" },
  begun: { shape: "◔", says: "begun" },
  done: { shape: "●", says: "done" },
  skipped: { shape: "–", says: "left out" },
};

/** Height of a row, px. */
const ROW = 25;

type Props = {
  series: Series;
  /** The point that is looked at. */
  shown: number;
  onShow: (point: number) => void;
  onGo: (point: number) => void;
  onRepeat: (point: number) => void;
  onDecide: (hit: TapHit, counts: boolean) => void;
};

export function PointsTable({ series, shown, onShow, onGo, onRepeat, onDecide }: Props) {
  const { plan, points } = series;
  const point = points[shown];
  const scroller = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: points.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 12,
  });
  const rows = virtual.getVirtualItems();
  useEffect(() => virtual.scrollToIndex(series.upcoming), [virtual, series.upcoming]);
  const space = (height: number) =>
    height > 0 && (
      <tr aria-hidden style={{ height }}>
        <td colSpan={5} />
      </tr>
    );
  return (
    <Panel
      title="Points"
      className="row-span-2"
      aside={
        <span className="text-[13px] text-soft">
          {series.done} of {points.length} done
        </span>
      }
    >
      <div ref={scroller} className="min-h-0 flex-1 overflow-auto px-2">
        <table className="w-full text-[13px] leading-6" aria-label="Points of the series">
          <thead className="sticky top-0 z-10 bg-sheet text-left text-soft">
            <tr>
              <th className="font-normal" aria-label="State" />
              <th className="font-normal">Point</th>
              <th className="font-normal">Hits</th>
              <th className="font-normal" colSpan={2}>
                Coherence
              </th>
            </tr>
          </thead>
          <tbody>
            {space(rows[0]?.start ?? 0)}
            {rows.map(({ index: k }) => {
              const p = points[k];
              return (
                p && (
                  <Row
                    key={k}
                    point={p}
                    hits={plan.hits}
                    least={plan.least_coherence}
                    now={k === series.upcoming}
                    chosen={k === shown}
                    onShow={() => onShow(k)}
                  />
                )
              );
            })}
            {space(virtual.getTotalSize() - (rows.at(-1)?.end ?? 0))}
          </tbody>
        </table>
      </div>
      {point && (
        <section aria-label={`Point ${point.says}`} className="border-t border-rule px-3 py-1 text-[13px] leading-6">
          <p className="flex items-baseline gap-3">
            <b>{point.says}</b>
            <span className="text-soft">{signs[point.state].says}</span>
            <span className="ml-auto" />
            <Button look="link" className="text-[13px]" onClick={() => onGo(shown)}>
              Go to
            </Button>
            <Button look="link" className="text-[13px]" onClick={() => onRepeat(shown)}>
              Measure again
            </Button>
          </p>
          <ul aria-label="Hits of the point" className="flex max-h-24 flex-col overflow-auto">
            {series.hits
              .filter((h) => h.point === shown)
              .map((h) => (
                <li key={h.hit}>
                  <label className="flex gap-2" title={h.says}>
                    <input
                      type="checkbox"
                      checked={h.state === "accepted" || (h.state === "waiting" && h.good)}
                      onChange={(e) => onDecide(h, e.target.checked)}
                    />
                    <span className="num w-14 text-right">{digits(h.peak_n, 3)} N</span>
                    <span className={h.good ? "text-soft" : "text-reef"}>{h.good ? "good" : h.word.toLowerCase()}</span>
                    {h.state === "waiting" && <span className="text-soft">, waits for the next</span>}
                    {h.state === "replaced" && <span className="text-soft">, replaced</span>}
                  </label>
                </li>
              ))}
          </ul>
        </section>
      )}
    </Panel>
  );
}

type RowProps = {
  point: TapPoint;
  hits: number;
  least: number;
  now: boolean;
  chosen: boolean;
  onShow: () => void;
};

function Row({ point: p, hits, least, now, chosen, onShow }: RowProps) {
  const sign = p.doubtful ? { shape: "×", says: "to be made anew" } : signs[p.state];
  const tone = p.doubtful ? "text-reef" : now ? "text-harbour" : "text-ink";
  return (
    <tr
      style={{ height: ROW }}
      className={`cursor-pointer border-t border-rule ${chosen ? "bg-shoal" : ""} ${tone}`}
      aria-current={now || undefined}
      onClick={onShow}
    >
      <td className="w-5 text-center" title={sign.says}>
        {sign.shape}
        <span className="sr-only">{sign.says}</span>
      </td>
      <td className="num pr-2 whitespace-nowrap">
        <button type="button" aria-label={`Look at ${p.says}`} onClick={onShow}>
          {p.says}
        </button>
      </td>
      <td>
        {hits <= 8 ? (
          <span className="flex gap-0.5" role="img" aria-label={`${p.standing} of ${hits} hits`}>
            {Array.from({ length: hits }, (_, k) => (
              <span
                // biome-ignore lint/suspicious/noArrayIndexKey: the boxes have no other names
                key={k}
                className={`h-3 w-1.5 border border-current ${k < p.standing ? "bg-current" : "opacity-40"}`}
              />
            ))}
          </span>
        ) : (
          <span className="num">
            {p.standing}/{hits}
          </span>
        )}
      </td>
      <td className="w-16">
        {p.coherence != null && (
          <span className="relative block h-2 bg-trough" aria-hidden>
            <span className="absolute inset-y-0 left-0 bg-current" style={{ width: `${100 * p.coherence}%` }} />
            <span className="absolute -inset-y-1 border-l-2 border-lamp" style={{ left: `${100 * least}%` }} />
          </span>
        )}
      </td>
      <td className="num w-12 text-right">{p.coherence == null ? "" : p.coherence.toFixed(3)}</td>
    </tr>
  );
}
