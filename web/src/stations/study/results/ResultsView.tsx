/** Kept results of all runs: which are stale, made again in one go, laid over each other. */

import { useQueries, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { type Analysis, api, told } from "../../../api/client";
import { useKeptResults, useRuns } from "../../../api/queries";
import { Button } from "../../../ui/Button";
import { moment } from "../../../ui/format";
import { Empty, Panel, Wrong } from "../../../ui/Panel";
import type { Range } from "../../../ui/plot/Plot";
import { offerUndo } from "../../../ui/undo";
import { ChosenWord } from "../../../ui/Word";
import { useToReport } from "../../report/useToReport";
import type { PanelLook, Scale } from "../bench";
import { Curves } from "../lens/Curves";
import { lensOf } from "../lens/lenses";
import { overlaid } from "../lens/overlay";
import { KeptFile } from "./KeptFile";
import { makeAgain, useList } from "./list";
import { Progress } from "./Progress";
import { Shapes } from "./Shapes";

/** Curves that are drawn at once. */
const DRAWN = 32;

/** What made a result: its lens, or the responses it is of. */
const says = (recipe: unknown) => {
  const r = recipe as { lens: string; pairs?: unknown[] };
  return r.pairs ? "Responses" : lensOf(r.lens).says;
};

/** The file that a result was brought in from. */
const fileOf = (recipe: unknown) => {
  const r = recipe as { lens?: string; file?: string };
  return r.lens === "brought" ? r.file : undefined;
};

export function ResultsView({ campaign }: { campaign: number | undefined }) {
  const client = useQueryClient();
  const id = campaign ?? 0;
  const runs = useRuns(campaign).data ?? [];
  const [chosen, setChosen] = useState<number[]>([]);
  const [look, setLook] = useState<PanelLook & { scale: Scale }>({ scale: "log" });
  const [range, setRange] = useState<Range>();
  const [error, setError] = useState<Error>();
  const kept = useKeptResults(campaign);
  const list = useList(campaign);
  const all = kept.data ?? [];
  const number = (run: number) => runs.find((x) => x.id === run)?.number;
  /** What a result was made of, such as “run 3” or “runs 3, 5”. */
  const of = (r: { runs: number[]; recipe: unknown }) =>
    fileOf(r.recipe) ??
    (r.runs.length === 1
      ? `run ${number(r.runs[0] ?? 0)}`
      : `runs ${r.runs.map(number).join(", ") || "that are gone"}`);
  const stale = all.filter((r) => r.stale);
  const shown = all.filter((r) => chosen.includes(r.id));
  const bodies = useQueries({
    queries: shown.map((r) => ({
      queryKey: ["kept-result", r.id, r.made_at],
      queryFn: () =>
        told(api.GET("/api/kept-results/{id}", { params: { path: { id: r.id } } })) as unknown as Promise<Analysis>,
    })),
  });
  const found = shown.flatMap((r, i) => {
    const body = bodies[i]?.data;
    return body ? [{ r, body }] : [];
  });
  const ages = found.map((f) => `${f.r.id} ${f.r.made_at}`).join();
  // biome-ignore lint/correctness/useExhaustiveDependencies: the ages stand for the results
  const picture = useMemo(() => {
    const drawable = found.filter(
      (f) => f.body.axes.length === 1 && f.body.axes[0]?.name !== "dof" && f.body.traces.length > 0,
    );
    const [first, ...rest] = drawable;
    if (!first) return undefined;
    const others = rest
      .filter((f) => f.body.axes[0]?.name === first.body.axes[0]?.name)
      .map((f) => ({ says: of(f.r), result: f.body, shift_s: 0 }));
    const says = of(first.r);
    const one = others.length ? overlaid(first.body, says, others) : first.body;
    // One axis for one quantity: coherences are not drawn among responses.
    const alike = one.traces.filter((t) => t.quantity === one.traces[0]?.quantity);
    const traces = alike.slice(0, DRAWN);
    return { result: one, traces, more: alike.length - traces.length, left: found.length - 1 - others.length };
  }, [ages]);
  const again = (ids: number[]) => {
    setError(undefined);
    makeAgain(id, ids).catch(setError);
  };
  const drop = async (key: number, name: string) => {
    setError(undefined);
    const at = { params: { path: { id: key } } };
    const then = () => client.invalidateQueries({ queryKey: ["kept-results"] });
    const away = () => told(api.DELETE("/api/kept-results/{id}", at)).then(then);
    try {
      await away();
      offerUndo(`Result ${name} deleted`, () => told(api.POST("/api/kept-results/{id}/restore", at)).then(then), away);
    } catch (e) {
      setError(e as Error);
    }
  };
  const put = useToReport(id);
  const toReport = (key: number, name: string, lens: string) => {
    setError(undefined);
    put?.({ id: key, name, lens }).catch(setError);
  };
  const toggle = (key: number) =>
    setChosen((was) => (was.includes(key) ? was.filter((x) => x !== key) : [...was, key].slice(-8)));
  if (kept.data && all.length === 0 && !list.parts)
    return (
      <Empty says="Nothing is kept yet. “Keep” on a lens makes its result of one run or of many, and lists it here." />
    );
  return (
    <div className="grid min-h-0 flex-1 grid-cols-[1fr_1.1fr] gap-3">
      <Panel
        title="Kept results"
        says={`${all.length}${stale.length ? `, ${stale.length} of them stale` : ""}`}
        aside={
          stale.length > 0 && (
            <Button look="main" onClick={() => again(stale.map((r) => r.id))} disabled={list.going}>
              Make {stale.length === 1 ? "the stale one" : `the ${stale.length} stale ones`} again
            </Button>
          )
        }
      >
        <Wrong error={error ?? kept.error ?? (list.error as Error | null)} />
        {list.parts && (
          <Progress
            parts={list.parts}
            going={list.going}
            run={number}
            onStop={() => list.stop().catch(setError)}
            onClose={list.close}
          />
        )}
        <div className="min-h-0 flex-1 overflow-auto px-3 pb-2">
          <table className="w-full text-[13px]" aria-label="Kept results">
            <thead className="sticky top-0 bg-sheet text-left text-soft">
              <tr>
                <th className="font-normal">Run</th>
                <th className="font-normal">Name</th>
                <th className="font-normal">Lens</th>
                <th className="font-normal">Made</th>
                <td />
              </tr>
            </thead>
            <tbody>
              {all.map((r) => (
                <tr key={r.id} className={`border-t border-rule ${chosen.includes(r.id) ? "bg-shoal" : ""}`}>
                  <td className="num">{r.runs.map(number).join(", ") || "–"}</td>
                  <td>
                    <button
                      type="button"
                      aria-pressed={chosen.includes(r.id)}
                      aria-label={`Show ${r.name} of ${of(r)}`}
                      className="text-harbour hover:underline"
                      onClick={() => toggle(r.id)}
                    >
                      {r.name}
                    </button>
                  </td>
                  <td className="max-w-48 truncate" title={fileOf(r.recipe)}>
                    {fileOf(r.recipe) ? `from ${fileOf(r.recipe)}` : says(r.recipe)}
                  </td>
                  <td className="whitespace-nowrap">
                    {moment(r.made_at)}, {r.who}
                    {r.stale && (
                      <span className="text-lamp" title="something was put right in the run since">
                        {" "}
                        ▲ stale
                      </span>
                    )}
                  </td>
                  <td className="text-right whitespace-nowrap">
                    <Button
                      look="link"
                      disabled={!put}
                      onClick={() => toReport(r.id, r.name, (r.recipe as { lens: string }).lens)}
                    >
                      Use in report
                    </Button>{" "}
                    <KeptFile id={r.id} name={`${r.name} of ${of(r)}`} />{" "}
                    {!fileOf(r.recipe) && (
                      <Button look="link" onClick={() => again([r.id])} disabled={list.going}>
                        Again
                      </Button>
                    )}{" "}
                    <button
                      type="button"
                      aria-label={`Delete ${r.name} of ${of(r)}`}
                      className="px-1 hover:text-harbour"
                      onClick={() => drop(r.id, r.name)}
                    >
                      ✕
                    </button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      </Panel>
      <Panel
        title="Overlay"
        says={
          picture ? (
            <>
              {picture.result.traces[0]?.quantity}, {picture.result.traces[0]?.unit}, on a{" "}
              <ChosenWord
                label="Scale"
                value={look.scale}
                options={[
                  { value: "linear", says: "linear" },
                  { value: "log", says: "logarithmic" },
                  { value: "db", says: "dB" },
                ]}
                onSet={(scale) => setLook({ scale })}
              />{" "}
              scale
            </>
          ) : (
            found.length === 0 && "press names on the left"
          )
        }
      >
        {picture && picture.more > 0 && (
          <p className="px-3 text-[12px] text-lamp">
            ▲ The first {DRAWN} of {DRAWN + picture.more} curves are drawn.
          </p>
        )}
        {picture && picture.left > 0 && (
          <p className="px-3 text-[12px] text-lamp">▲ {picture.left} of them have another axis and are not drawn.</p>
        )}
        {picture ? (
          <Curves
            label="Kept results over each other"
            result={picture.result}
            traces={picture.traces}
            look={look}
            onLook={(part) => setLook({ ...look, ...part })}
            legend
            range={range}
            onZoom={setRange}
            onBack={() => setRange(undefined)}
          />
        ) : (
          <Numbers found={found.map((f) => ({ says: `${f.r.name}, ${of(f.r)}`, body: f.body }))} />
        )}
      </Panel>
    </div>
  );
}

/** Results that are numbers, one below the other. */
function Numbers({ found }: { found: { says: string; body: Analysis }[] }) {
  const some = found.filter((f) => f.body.numbers.length > 0);
  const shapes = (body: Analysis) => body.axes[0]?.name === "dof";
  if (some.length === 0) return <div className="flex-1" />;
  return (
    <div className="min-h-0 flex-1 overflow-auto px-3 pb-2 text-[13px]">
      {some.map((f) =>
        shapes(f.body) ? (
          <Shapes key={f.says} {...f} />
        ) : (
          <section key={f.says}>
            <h3 className="font-semibold">{f.says}</h3>
            <table>
              <tbody>
                {f.body.numbers.map((n) => (
                  <tr key={`${n.channel} ${n.name}`} className="border-t border-rule">
                    <td className="pr-4">
                      channel {n.channel}, {n.name.replaceAll("_", " ")}
                    </td>
                    <td className="num text-right">{n.value?.toPrecision(5)}</td>
                    <td className="pl-2 text-soft">{n.unit}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </section>
        ),
      )}
    </div>
  );
}
