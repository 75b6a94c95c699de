/** Modes of a set of responses: the poles that hold, a table of what they are, the shapes as they move, and how well
 * they explain what was measured. */
import { useMemo, useState } from "react";
import { type Analysis, api, type RunDetail, told } from "../../../api/client";
import { useAllSeries, useFunctions, useSeries } from "../../../api/taps";
import { Button } from "../../../ui/Button";
import { Computing, ComputingLine } from "../../../ui/Computing";
import { digits } from "../../../ui/format";
import { Empty, Panel, Wrong } from "../../../ui/Panel";
import { saveBlob } from "../../../ui/save";
import { useWatched } from "../../../ui/useWatched";
import { useSpecimen } from "../../rig/specimen/useSpecimen";
import { sensorsOf } from "../deflection/recipe";
import { Minded } from "../results/Minded";
import { corrected } from "../rows";
import { Compared } from "./Compared";
import { KeepModes } from "./KeepModes";
import { ModesTable, numberOf, shapesOf } from "./ModesTable";
import { ModesWords } from "./ModesWords";
import { MovingShape } from "./MovingShape";
import {
  type From,
  keep,
  kept,
  type ModesRecipe,
  nameFrom,
  ofFrom,
  picked,
  sent,
  usualModes,
  usualOperation,
} from "./recipe";
import { Stabilisation } from "./Stabilisation";
import { Synthesis } from "./Synthesis";

export function ModesView({ campaign, run }: { campaign: number | undefined; run?: RunDetail | undefined }) {
  const functions = useFunctions(campaign);
  const [name, setName] = useState<string>();
  const sets = functions.data?.sets ?? [];
  const all: From[] = [...sets.map((set) => ({ set })), ...(run && sensorsOf(run).length > 1 ? [{ run }] : [])];
  // The newest series, where nobody chose.
  const from = all.find((f) => nameFrom(f) === name) ?? all.findLast((f) => f.set?.series != null) ?? all[0];
  if (!functions.data)
    return functions.error ? <Wrong error={functions.error} /> : <Empty says="Reading the responses …" />;
  if (!from || campaign === undefined)
    return (
      <Empty says="Modes are found in responses, and there are none yet. A tap series in Run makes them; a universal file with responses brings them in (Runs, Bring in). Or in a run in operation, whose sensors have points (Rig)." />
    );
  return <OfSet key={nameFrom(from)} campaign={campaign} all={all} from={from} onChoose={setName} />;
}

type Props = { campaign: number; all: From[]; from: From; onChoose: (name: string) => void };

function OfSet({ campaign, all, from, onChoose }: Props) {
  const { set, run } = from;
  const listed = useAllSeries(campaign).data;
  const series = useSeries(listed?.find((s) => s.id === set?.series)?.id).data;
  const specimen = useSpecimen(campaign).data?.specimen;
  const band = (series?.plan.band_hz ?? [10, 1000]) as [number, number];
  const [own, setOwn] = useState(() => kept(campaign, nameFrom(from)));
  const [chosen, setChosen] = useState(0);
  const [atOnce, setAtOnce] = useState(1);
  const [keeping, setKeeping] = useState(false);
  const [error, setError] = useState<Error>();
  const recipe = own ?? (run ? usualOperation(run) : usualModes(band));
  const onRecipe = (part: Partial<ModesRecipe>) => {
    const to = { ...recipe, ...part };
    keep(campaign, nameFrom(from), to);
    setOwn(to);
  };
  const of = useMemo(() => ofFrom(from), [from]);
  const carried = sent(recipe, run);
  const body = { set: of, recipe: carried as never };
  const params = { path: { id: campaign } };
  // A band is known when its series is.
  const ready = set?.series == null || series !== undefined || own !== undefined;
  const asked = (recipe: object) => (signal: AbortSignal, watch: string) =>
    told(
      api.POST("/api/campaigns/{id}/modes", {
        params: { ...params, query: { watch } },
        body: { set: of, recipe: recipe as never },
        signal,
      }),
    );
  // Of responses at once with the poles as the diagram has them; refining them takes a moment more.
  const plain = { ...carried, refined: false };
  const first = useWatched(["modes", campaign, of, plain], ready && !run, asked(plain));
  const firstThere = first.isSuccess && !first.isPlaceholderData;
  const refined = useWatched(
    ["modes", campaign, of, carried, run ? corrected(run) : ""],
    ready && (run !== undefined || firstThere),
    asked(carried),
  );
  const refining = firstThere && !refined.error && (!refined.data || refined.isPlaceholderData);
  const modes = refining ? first : refined;
  const failed = refined.error ?? first.error;
  const [halving, setHalving] = useState(false);
  const halves = useWatched(["modes", "halves", campaign, of, carried], halving && !run, (signal, watch) =>
    told(api.POST("/api/campaigns/{id}/modes/halves", { params: { ...params, query: { watch } }, body, signal })),
  );
  const analysis = failed ? undefined : modes.data?.analysis;
  const shapes = analysis ? shapesOf(analysis) : [];
  const hz = useMemo(
    () => (analysis ? shapesOf(analysis).map((m) => numberOf(analysis, m.mode ?? 0, "frequency")) : []),
    [analysis],
  );
  // What was picked stands at once where it was clicked; what follows from it may take a moment.
  const following = modes.isPlaceholderData && recipe.pick !== "stable";
  const flags = following ? (recipe.pick as number[]) : hz;
  const at = Math.min(chosen, Math.max(shapes.length - 1, 0));
  const shown = shapes[at];
  const known = modes.data?.motions;
  const motions = useMemo(() => {
    const of = known ?? [];
    return Array.from({ length: Math.min(atOnce, of.length) }, (_, k) => of[(at + k) % of.length]).filter(
      (m) => m !== undefined,
    );
  }, [known, at, atOnce]);
  const points = specimen?.geometry?.points;
  const missedAt = useMemo(() => (analysis ? tonesOf(analysis, points ?? []) : undefined), [analysis, points]);
  const missed = analysis?.numbers.find((n) => n.name === "missed")?.value;
  const universal = async () => {
    setError(undefined);
    try {
      const file = await told(api.POST("/api/campaigns/{id}/modes.uff", { params, body, parseAs: "blob" }));
      saveBlob(file as unknown as Blob, "modes.uff");
    } catch (e) {
      setError(e as Error);
    }
  };
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-2">
      <ModesWords all={all} from={from} onChoose={onChoose} recipe={recipe} onRecipe={onRecipe} />
      <Wrong error={failed ?? error ?? (halving ? halves.error : null)} />
      {failed && recipe.pick !== "stable" && (
        <Button look="link" onClick={() => onRecipe({ pick: "stable" })}>
          Take all that hold
        </Button>
      )}
      {run && <ComputingLine says={`Listening to run ${run.number}`} of={modes} />}
      {!analysis && !failed && !modes.stopped && <Empty says="Looking for poles …" />}
      {analysis && (
        <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1.4fr)_minmax(0,1fr)] grid-rows-[minmax(0,1.25fr)_minmax(0,1fr)] gap-2">
          <Panel
            title="Stabilisation"
            says={`order over frequency; behind it the indicator of ${analysis.axes[1]?.values.length ?? 0} ${run ? "sensors" : "responses"}`}
            aside={
              <Button look="link" disabled={recipe.pick === "stable"} onClick={() => onRecipe({ pick: "stable" })}>
                Take all that hold
              </Button>
            }
          >
            <Stabilisation
              analysis={analysis}
              band={recipe.band_hz}
              modes={flags}
              chosen={at}
              onMode={setChosen}
              onPick={(f) => {
                const to = picked(hz, f, 0.004 * f);
                if (to.length > 0) onRecipe({ pick: to });
              }}
            />
            <p className="flex gap-4 px-3 pb-1 text-[12px] text-soft">
              <span>· new</span>
              <span>| frequency holds</span>
              <span>+ and damping</span>
              <span>◆ and shape</span>
              <span className="text-mark">⚑ picked: a click takes a pole in or out</span>
            </p>
          </Panel>
          <MovingShape
            geometry={specimen?.geometry ?? {}}
            motions={motions}
            says={shown ? `mode ${shown.mode}, ${digits(hz[at] ?? null, 5)} Hz` : ""}
            names={motions.map((m) => `mode ${m.mode}, ${digits(hz[m.mode - 1] ?? null, 4)} Hz`)}
            view={`${campaign}`}
            missed={missedAt}
            atOnce={atOnce}
            onAtOnce={setAtOnce}
            count={shapes.length}
            onStep={(by) => setChosen((at + by + shapes.length) % Math.max(shapes.length, 1))}
          />
          <Panel
            title="Modes"
            says={`${following ? "finding what was picked … " : refining ? "refining … " : ""}${shapes.length} picked${missed != null ? `; they miss ${digits(100 * missed, 2)} % of what was measured` : ""}`}
            aside={
              <>
                {set?.series != null && (
                  <span className="text-[13px]">
                    <Button look="link" aria-pressed={halving} onClick={() => setHalving(!halving)}>
                      {halving ? "Orders again" : "Halves of the hits"}
                    </Button>
                    {halving && <Computing of={halves} />}
                  </span>
                )}
                <Button look="link" onClick={universal}>
                  UFF
                </Button>
                <Button look="link" onClick={() => setKeeping(true)}>
                  Save
                </Button>
              </>
            }
          >
            <Minded analysis={analysis} strange={modes.data?.strange ?? []} />
            <ModesTable
              analysis={analysis}
              halves={halving && !halves.error && !halves.isPlaceholderData ? halves.data?.modes : undefined}
              chosen={at}
              onMode={setChosen}
            />
            <Compared campaign={campaign} body={body} />
          </Panel>
          <Synthesis
            campaign={campaign}
            set={of}
            recipe={carried as ModesRecipe}
            analysis={analysis}
            settled={!refining && !following}
          />
        </div>
      )}
      {keeping && <KeepModes campaign={campaign} body={body} onClose={() => setKeeping(false)} />}
    </div>
  );
}

/** How much of the worst response of each point the modes miss: little, some, or more than half. */
function tonesOf(analysis: Analysis, points: { name: string }[]): string[] {
  const missed = analysis.traces.find((t) => t.quantity === "missed")?.values ?? [];
  const dofs = analysis.axes[1]?.dofs ?? [];
  const width = Math.max(analysis.axes[3]?.values.length ?? 1, 1);
  const worst = new Map<string, number>();
  for (const [k, v] of missed.entries()) {
    const point = dofs[Math.floor(k / width)]?.point ?? "";
    worst.set(point, Math.max(worst.get(point) ?? 0, v));
  }
  return points.map((p) => {
    const w = worst.get(p.name);
    return w === undefined ? "" : w > 0.5 ? "reef" : w > 0.1 ? "lamp" : "lee";
  });
}
