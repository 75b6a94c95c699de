/** The table of responses: of tap series and of files; compared over each other, taken out, written as a file. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api, told } from "../../../api/client";
import { type FunctionSet, type OneFunction, useFunctions } from "../../../api/taps";
import { Button } from "../../../ui/Button";
import { amplitude } from "../../../ui/complex";
import { moment, short } from "../../../ui/format";
import { Empty, Panel, Wrong } from "../../../ui/Panel";
import { type Curve, Legend, Plot, type Range } from "../../../ui/plot/Plot";
import { useToReport } from "../../report/useToReport";
import { phases } from "../lens/phase";

/** Curves that are drawn at once. */
const DRAWN = 8;
const UNIT: Range = [0, 1];

const keyOf = (s: { series?: number | null; source: string }) => `${s.series ?? ""} ${s.source}`;

/** Where a set is saved from. */
const fileOf = (campaign: number, s: FunctionSet, binary: boolean) => {
  const query = new URLSearchParams({
    ...(s.series != null ? { series: String(s.series) } : { source: s.source }),
    ...(binary ? { binary: "true" } : {}),
  });
  return `/api/campaigns/${campaign}/functions.uff?${query}`;
};

type Of = { campaign: number | undefined };

export function FunctionsView({ campaign }: Of) {
  const all = useFunctions(campaign);
  const client = useQueryClient();
  const id = campaign ?? 0;
  const params = { path: { id } };
  const [chosen, setChosen] = useState<number[]>([]);
  const take = useMutation<unknown, Error, { functions: number[]; out: boolean }>({
    mutationFn: (body) => told(api.PUT("/api/campaigns/{id}/functions", { params, body })),
    onSettled: () => client.invalidateQueries({ queryKey: ["functions"] }),
  });
  const drop = useMutation<unknown, Error, number[]>({
    mutationFn: (body) => told(api.POST("/api/campaigns/{id}/functions/delete", { params, body })),
    onSettled: () => client.invalidateQueries({ queryKey: ["functions"] }),
  });
  if (!all.data) return all.error ? <Wrong error={all.error} /> : <Empty says="Reading the responses …" />;
  const { sets, functions } = all.data;
  if (functions.length === 0)
    return (
      <Empty says="There are no responses yet. A tap series in Run makes them; a universal file with responses brings them in (Runs, Bring in)." />
    );
  const shown = functions.filter((f) => chosen.includes(f.id));
  const toggle = (f: OneFunction) =>
    setChosen((now) => (now.includes(f.id) ? now.filter((k) => k !== f.id) : [...now, f.id].slice(-DRAWN)));
  const brought = shown.length > 0 && shown.every((f) => f.series == null);
  return (
    <div className="grid min-h-0 flex-1 grid-cols-[minmax(460px,1fr)_minmax(0,1.2fr)] gap-2">
      <Panel
        title="Responses"
        says={`${functions.length} of ${sets.length === 1 ? "one set" : `${sets.length} sets`}`}
        aside={
          <>
            <Button
              look="link"
              disabled={shown.length === 0}
              onClick={() => take.mutate({ functions: chosen, out: shown.some((f) => !f.taken_out) })}
            >
              {shown.length > 0 && shown.every((f) => f.taken_out) ? "Take in again" : "Take out"}
            </Button>
            {brought && (
              <Button
                look="link"
                onClick={() => {
                  drop.mutate(chosen);
                  setChosen([]);
                }}
              >
                Delete
              </Button>
            )}
          </>
        }
      >
        <Wrong error={take.error ?? drop.error} />
        <div className="min-h-0 flex-1 overflow-auto px-3 pb-2">
          {sets.map((s) => (
            <section key={keyOf(s)} aria-label={s.says}>
              <h3 className="flex items-baseline gap-4 pt-2">
                <b>{s.says}</b>
                <span className="text-[13px] text-soft">
                  {s.count} responses over {s.references.slice(0, 3).join(", ")}
                  {s.references.length > 3 && ` and ${s.references.length - 3} more`}
                  {s.taken_out > 0 && `, ${s.taken_out} taken out`}
                </span>
                <span className="ml-auto" />
                <a className="text-harbour hover:underline" href={fileOf(id, s, false)} download>
                  UFF
                </a>
                <a className="text-harbour hover:underline" href={fileOf(id, s, true)} download>
                  UFF binary
                </a>
              </h3>
              <table className="w-full text-[13px] leading-6" aria-label={`Responses of ${s.says}`}>
                <thead className="text-left text-soft">
                  <tr>
                    <th className="w-6 font-normal" aria-label="Shown" />
                    <th className="font-normal">Answers</th>
                    <th className="font-normal">Hit at</th>
                    <th className="font-normal">Unit</th>
                    <th className="text-right font-normal">Lines</th>
                    <th className="text-right font-normal">Hits</th>
                    <th className="text-right font-normal">Coherence</th>
                    <th className="text-right font-normal">Made</th>
                  </tr>
                </thead>
                <tbody>
                  {functions
                    .filter((f) => keyOf(f) === keyOf(s))
                    .map((f) => (
                      <tr
                        key={f.id}
                        className={`cursor-pointer border-t border-rule ${chosen.includes(f.id) ? "bg-shoal" : ""} ${f.taken_out ? "text-soft line-through" : ""}`}
                        onClick={() => toggle(f)}
                      >
                        <td>
                          <input
                            type="checkbox"
                            aria-label={`Show ${f.response} over ${f.reference}`}
                            checked={chosen.includes(f.id)}
                            onChange={() => toggle(f)}
                            onClick={(e) => e.stopPropagation()}
                          />
                        </td>
                        <td className="num">{f.response}</td>
                        <td className="num">{f.reference}</td>
                        <td>
                          {f.unit}
                          {f.stays && <span className="text-soft"> stays</span>}
                        </td>
                        <td className="num text-right">{f.lines}</td>
                        <td className="num text-right">{f.hits.length || ""}</td>
                        <td className="num text-right">{f.quality.coherence?.toFixed(3) ?? ""}</td>
                        <td className="num text-right">{moment(f.made_at)}</td>
                      </tr>
                    ))}
                </tbody>
              </table>
            </section>
          ))}
        </div>
      </Panel>
      <Compared campaign={id} shown={shown} />
    </div>
  );
}

function Compared({ campaign, shown }: { campaign: number; shown: OneFunction[] }) {
  const [error, setError] = useState<Error>();
  const keys = shown.map((f) => f.id);
  // Responses of different sets may have different lines: each set is read by itself.
  const sets = [...new Set(shown.map(keyOf))];
  const curves = useQuery({
    queryKey: ["functions", campaign, "curves", keys, shown.map((f) => f.made_at).join()],
    enabled: keys.length > 0,
    queryFn: () =>
      told(
        api.POST("/api/campaigns/{id}/functions/curves", {
          params: { path: { id: campaign } },
          body: shown.filter((f) => keyOf(f) === sets[0]).map((f) => f.id),
        }),
      ),
  });
  const traces = useMemo(() => curves.data?.traces ?? [], [curves.data]);
  const [response, phase, coherence] = useMemo(() => {
    const complex = traces.filter((t) => t.quantity !== "coherence");
    const drawn = (some: typeof traces, of: (t: (typeof traces)[number]) => number[]): Curve[] =>
      some.map((t) => ({ name: t.name, high: of(t) }));
    return [
      drawn(complex, amplitude),
      drawn(complex, (t) => phases(t, {})),
      drawn(
        traces.filter((t) => t.quantity === "coherence"),
        (t) => t.values,
      ),
    ];
  }, [traces]);
  const put = useToReport(campaign);
  /** Kept first: what stands in a report can be made again. */
  const toReport = async () => {
    setError(undefined);
    const pairs = shown.map((f) => [f.response, f.reference]);
    const more = shown.length > 1 ? ` and ${shown.length - 1} more` : "";
    const name = `${shown[0]?.response} over ${shown[0]?.reference}${more}`.slice(0, 80);
    const set = { series: shown[0]?.series ?? null, source: shown[0]?.source ?? "" };
    const body = { name, set, pairs };
    const key = await told(
      api.POST("/api/campaigns/{id}/functions/keep", { params: { path: { id: campaign } }, body }),
    );
    await put?.({ id: key, name, lens: "brought" });
  };
  const hz = curves.data?.axes[0]?.values ?? [];
  const step = hz.length > 1 ? (hz[1] ?? 0) - (hz[0] ?? 0) : 0;
  return (
    <Panel
      title="Over each other"
      says={step > 0 ? `lines ${short(step)} Hz apart` : "choose responses in the table"}
      aside={
        <Button
          look="link"
          disabled={shown.length === 0 || sets.length > 1 || !put}
          onClick={() => void toReport().catch(setError)}
        >
          Use in report
        </Button>
      }
    >
      <Wrong error={curves.error ?? error} />
      {sets.length > 1 && (
        <p className="px-3 text-[13px] text-lamp">
          ▲ Responses of one set are drawn at a time: {sets.length} are chosen.
        </p>
      )}
      {keys.length === 0 ? (
        <div className="flex-1" />
      ) : (
        <>
          <div className="px-3">
            <Legend names={response.map((c) => c.name)} />
          </div>
          <div className="flex min-h-0 flex-[3]">
            <Plot
              label="Responses over each other"
              x={hz}
              curves={response}
              xLabel=""
              axis="frequency, Hz"
              yLabel={`response, ${traces[0]?.unit ?? ""}`}
              logY
            />
          </div>
          <div className="flex min-h-0 flex-[1.4]">
            <Plot
              label="Their phases"
              x={hz}
              curves={phase}
              xLabel=""
              axis="frequency, Hz"
              yLabel="phase, °"
              oneScale
            />
          </div>
          <div className="flex min-h-0 flex-[1.4]">
            <Plot
              label="Their coherences"
              x={hz}
              curves={coherence}
              xLabel="frequency, Hz"
              yLabel="coherence"
              axes={{ y: UNIT }}
            />
          </div>
        </>
      )}
    </Panel>
  );
}
