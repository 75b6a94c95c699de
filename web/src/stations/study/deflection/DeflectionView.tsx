/** How the specimen moved in a run: at a frequency, in a band, at an order, or moment by moment. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { type Analysis, api, type RunDetail, told } from "../../../api/client";
import { useTo } from "../../../shell/address";
import { Button } from "../../../ui/Button";
import { ComputingLine } from "../../../ui/Computing";
import { digits } from "../../../ui/format";
import { Empty, Panel, Wrong } from "../../../ui/Panel";
import { Plot, type Range } from "../../../ui/plot/Plot";
import { saveBlob } from "../../../ui/save";
import { useWatched } from "../../../ui/useWatched";
import { useSpecimen } from "../../rig/specimen/useSpecimen";
import { KeepDialog } from "../KeepDialog";
import { askResult } from "../lens/useResult";
import { MovingShape } from "../modes/MovingShape";
import { Minded } from "../results/Minded";
import { corrected } from "../rows";
import { DeflectionTable } from "./DeflectionTable";
import { DeflectionWords } from "./DeflectionWords";
import { courseOf, courseRecipe, recipeOf, sensorsOf, usual, type Wish } from "./recipe";

/** Most values that the page asks for at once where it shows moment by moment. */
const MOST_VALUES = 4e6;

const at = (run: number) => `deflection ${run}`;

function kept(run: RunDetail): Wish {
  try {
    return { ...usual(run), ...(JSON.parse(localStorage.getItem(at(run.id)) ?? "{}") as Partial<Wish>) };
  } catch {
    return usual(run);
  }
}

export function DeflectionView({ run, campaign }: { run: RunDetail; campaign: number }) {
  const to = useTo();
  const [wish, setWish] = useState(() => kept(run));
  const [error, setError] = useState<Error>();
  const [keeping, setKeeping] = useState(false);
  const geometry = useSpecimen(campaign).data?.specimen?.geometry ?? {};
  const channels = sensorsOf(run);
  const onWish = (part: Partial<Wish>) => {
    const next = { ...wish, ...part };
    localStorage.setItem(at(run.id), JSON.stringify(next));
    setWish(next);
  };
  const recipe = recipeOf(run, wish);
  const params = { path: { id: run.id } };
  const body = recipe as never;
  const key = ["deflection", run.id, recipe, corrected(run), geometry];
  const made = useWatched(key, channels.length > 1, (signal, watch) =>
    told(api.POST("/api/runs/{id}/deflection", { params: { ...params, query: { watch } }, body, signal })),
  );
  const values = (wish.stretch[1] - wish.stretch[0]) * run.sample_rate_hz * channels.length;
  const inTime = wish.how === "time";
  const moving = courseRecipe(run, wish);
  const course = useQuery<Analysis>({
    queryKey: ["deflection", "course", run.id, moving, corrected(run)],
    enabled: inTime && channels.length > 1 && values <= MOST_VALUES,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: ({ signal }) => askResult(run.id, { recipe: moving, query: {} }, signal),
  });
  const shown = made.error ? undefined : made.data;
  // Where nobody said a frequency, the one that moves most.
  const fresh = shown && !localStorage.getItem(at(run.id)) ? peak(shown.analysis, 0) : undefined;
  // biome-ignore lint/correctness/useExhaustiveDependencies: once, when it is first known
  useEffect(() => {
    if (fresh) onWish({ frequency_hz: fresh });
  }, [fresh]);
  const points = (geometry.points ?? []).length;
  const moments = useMemo(
    () => (inTime && shown && course.data ? courseOf(course.data, shown.places as never, points) : undefined),
    [inTime, shown, course.data, points],
  );
  const motions = useMemo(() => (!inTime && shown?.motion ? [shown.motion] : []), [inTime, shown]);
  if (channels.length < 2)
    return (
      <Empty says="A shape needs two channels or more of this run with a point: Rig, columns Point and Direction. They can be put right afterwards (Bench, Correction).">
        <a className="text-harbour underline" href={to("/rig")}>
          Go to Rig
        </a>
      </Empty>
    );
  const universal = async () => {
    setError(undefined);
    try {
      const file = await told(api.POST("/api/runs/{id}/deflection.uff", { params, body, parseAs: "blob" }));
      saveBlob(file as unknown as Blob, "deflection.uff");
    } catch (e) {
      setError(e as Error);
    }
  };
  const too =
    inTime && values > MOST_VALUES
      ? new Error(
          `${channels.length} sensors can be seen moment by moment for ${(MOST_VALUES / channels.length / run.sample_rate_hz).toFixed(2)} s at once; choose a shorter stretch`,
        )
      : undefined;
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-2">
      <DeflectionWords run={run} wish={wish} onWish={onWish} />
      <Wrong error={too ?? made.error ?? (inTime ? course.error : null) ?? error} />
      <ComputingLine says={wish.how === "time" ? "Looking where the points are" : "Looking how they move"} of={made} />
      {!shown && !made.error && !made.stopped && <Empty says="Looking how it moves …" />}
      {shown && (
        <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)_minmax(0,1.2fr)] gap-2">
          <div className="flex min-h-0 flex-col gap-2">
            <Overview analysis={shown.analysis} wish={wish} onWish={onWish} />
            <Panel
              title="Points"
              says={shown.analysis.averages ? `${shown.analysis.averages} averages` : ""}
              aside={
                <>
                  <Button look="link" onClick={universal}>
                    UFF
                  </Button>
                  <Button look="link" onClick={() => setKeeping(true)}>
                    Save
                  </Button>
                </>
              }
              className="flex-1"
            >
              <Minded analysis={shown.analysis} strange={shown.strange} />
              <DeflectionTable analysis={shown.analysis} />
            </Panel>
          </div>
          <MovingShape
            geometry={geometry}
            motions={motions}
            course={moments}
            view={`${campaign}`}
            says={says(shown.analysis, wish)}
            count={1}
            onStep={() => undefined}
          />
        </div>
      )}
      {keeping && (
        <KeepDialog campaign={campaign} run={run} recipe={recipe} says="deflection" onClose={() => setKeeping(false)} />
      )}
    </div>
  );
}

function says(analysis: Analysis, wish: Wish): string {
  if (wish.how === "time") return `moment by moment, ${wish.band_hz[0]} to ${wish.band_hz[1]} Hz`;
  const rpm = analysis.numbers.find((n) => n.name === "speed")?.value;
  const name = analysis.traces.find((t) => t.quantity === "shape")?.name ?? "";
  return rpm === undefined ? name : `${name} at about ${digits(rpm, 4)} rpm`;
}

/** How much the points move on the whole: a click takes the frequency there, a stretch becomes the band. */
function Overview({
  analysis,
  wish,
  onWish,
}: {
  analysis: Analysis;
  wish: Wish;
  onWish: (part: Partial<Wish>) => void;
}) {
  const [range, setRange] = useState<Range>();
  const axis = analysis.axes[0];
  const all = analysis.traces.find((t) => t.quantity === "indicator");
  const curves = useMemo(() => [{ name: "all points", high: all?.values ?? [] }], [all]);
  const along = axis?.name === "frequency";
  const last = axis?.values.at(-1) ?? 1;
  const hz = wish.frequency_hz;
  const around: Range = [0, Math.min(last, Math.max(4 * (wish.how === "frequency" ? hz : wish.band_hz[1]), 200))];
  return (
    <Panel
      title="All points"
      says={along ? "a click takes the frequency there" : "how much they move at this order"}
      className="flex-1"
    >
      <Plot
        label="How much all points move"
        x={axis?.values ?? []}
        curves={curves}
        xLabel={`${axis?.name ?? ""}, ${axis?.unit ?? ""}`}
        yLabel={`rms, ${all?.unit ?? ""}`}
        logY
        {...(along ? { range: range ?? around, onZoom: setRange, onBack: () => setRange(undefined) } : {})}
        band={along && wish.how !== "frequency" ? wish.band_hz : undefined}
        marks={along && wish.how === "frequency" ? [{ x: hz, says: `${digits(hz, 5)} Hz` }] : []}
        {...(along ? { onPoint: (x: number) => onWish({ how: "frequency", frequency_hz: peak(analysis, x) }) } : {})}
      />
    </Panel>
  );
}

/** The line that moves most within a few lines of a click; of all where the click is at 0. */
function peak(analysis: Analysis, x: number): number {
  const hz = analysis.axes[0]?.values ?? [];
  const v = analysis.traces.find((t) => t.quantity === "indicator")?.values ?? [];
  const near = hz.findIndex((f) => f >= x);
  const [from, to] = x > 0 ? [Math.max(near - 4, 1), Math.min(near + 4, hz.length - 1)] : [1, hz.length - 1];
  let best = from;
  for (let k = from; k <= to; k++) if ((v[k] ?? 0) > (v[best] ?? 0)) best = k;
  return hz[best] ?? x;
}
