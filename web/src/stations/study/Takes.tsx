/** Takes of a run with the peak of the shown channel; a press brackets one. */
import { useQuery } from "@tanstack/react-query";
import { api, type RunDetail, told } from "../../api/client";
import { digits } from "../../ui/format";
import { Panel, Wrong } from "../../ui/Panel";
import type { Range } from "../../ui/plot/Plot";

type Props = { run: RunDetail; channel: number; bracket: Range; onBracket: (to: Range) => void };

export function Takes({ run, channel, bracket, onBracket }: Props) {
  const row = run.channels.find((c) => c.channel === channel);
  const peaks = useQuery({
    queryKey: ["peaks", run.id, channel, row?.sensitivity.value],
    queryFn: () =>
      told(api.GET("/api/runs/{id}/takes/peaks", { params: { path: { id: run.id }, query: { channel } } })),
  });
  const of = (n: number) => peaks.data?.find((p) => p.number === n);
  return (
    <Panel title="Takes" says={`${run.takes.length}, peak of ${row?.recorded.name ?? ""}`} className="max-h-[34%]">
      <Wrong error={peaks.error} />
      <div className="min-h-0 overflow-auto px-3 pb-2">
        <table className="w-full text-[13px]" aria-label="Takes">
          <thead className="sticky top-0 bg-sheet text-right text-soft">
            <tr>
              <th className="text-left font-normal">No.</th>
              <th className="font-normal">trigger, s</th>
              <th className="font-normal">peak, {row?.recorded.unit}</th>
              <th className="font-normal">at, s</th>
            </tr>
          </thead>
          <tbody>
            {run.takes.map((t) => {
              const to: Range = [t.from_s, t.from_s + t.length_s];
              const on = Math.abs(bracket[0] - to[0]) < 1e-6 && Math.abs(bracket[1] - to[1]) < 1e-6;
              return (
                <tr key={t.number} className={`border-t border-rule ${on ? "bg-shoal" : ""}`} title={t.says}>
                  <td>
                    <button
                      type="button"
                      aria-label={`Bracket take ${t.number}`}
                      aria-pressed={on}
                      className="text-harbour hover:underline"
                      onClick={() => onBracket(to)}
                    >
                      {t.number}
                    </button>
                  </td>
                  <td className="num text-right">{t.trigger_s.toFixed(3)}</td>
                  <td className="num text-right" data-take="peak">
                    {digits(of(t.number)?.value, 4)}
                  </td>
                  <td className="num text-right" data-take="at">
                    {of(t.number)?.at_s.toFixed(4) ?? "–"}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
    </Panel>
  );
}
