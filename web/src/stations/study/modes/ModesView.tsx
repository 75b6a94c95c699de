/** Modes of a set of responses: the poles that hold, a table of what they are, the shapes as they move, and how well
 * they explain what was measured. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api, told } from "../../../api/client";
import { useAllSeries, useFunctions, useSeries } from "../../../api/taps";
import { Button } from "../../../ui/Button";
import { digits } from "../../../ui/format";
import { Empty, Panel, Wrong } from "../../../ui/Panel";
import { saveBlob } from "../../../ui/save";
import { useSpecimen } from "../../rig/specimen/useSpecimen";
import { Compared } from "./Compared";
import { KeepModes } from "./KeepModes";
import { ModesTable, numberOf, shapesOf } from "./ModesTable";
import { ModesWords } from "./ModesWords";
import { MovingShape } from "./MovingShape";
import { keep, kept, type ModesRecipe, nameOf, picked, setOf, usualModes } from "./recipe";
import { Stabilisation } from "./Stabilisation";
import { Synthesis } from "./Synthesis";

export function ModesView({ campaign }: { campaign: number | undefined }) {
  const all = useFunctions(campaign);
  const [name, setName] = useState<string>();
  const sets = all.data?.sets ?? [];
  // The newest series, where nobody chose.
  const set = sets.find((s) => nameOf(s) === name) ?? sets.findLast((s) => s.series != null) ?? sets[0];
  if (!all.data) return all.error ? <Wrong error={all.error} /> : <Empty says="Reading the responses …" />;
  if (!set || campaign === undefined)
    return (
      <Empty says="Modes are found in responses, and there are none yet. A tap series in Run makes them; a universal file with responses brings them in (Runs, Bring in)." />
    );
  return <OfSet key={nameOf(set)} campaign={campaign} sets={sets} set={set} onChoose={setName} />;
}

type Props = {
  campaign: number;
  sets: Parameters<typeof ModesWords>[0]["sets"];
  set: Parameters<typeof ModesWords>[0]["set"];
  onChoose: (name: string) => void;
};

function OfSet({ campaign, sets, set, onChoose }: Props) {
  const all = useAllSeries(campaign).data;
  const series = useSeries(all?.find((s) => s.id === set.series)?.id).data;
  const specimen = useSpecimen(campaign).data?.specimen;
  const band = (series?.plan.band_hz ?? [10, 1000]) as [number, number];
  const [own, setOwn] = useState(() => kept(campaign, nameOf(set)));
  const [chosen, setChosen] = useState(0);
  const [keeping, setKeeping] = useState(false);
  const [error, setError] = useState<Error>();
  const recipe = own ?? usualModes(band);
  const onRecipe = (part: Partial<ModesRecipe>) => {
    const to = { ...recipe, ...part };
    keep(campaign, nameOf(set), to);
    setOwn(to);
  };
  const of = useMemo(() => setOf(set), [set]);
  const body = { set: of, recipe: recipe as never };
  const params = { path: { id: campaign } };
  const modes = useQuery({
    queryKey: ["modes", campaign, of, recipe],
    placeholderData: keepPreviousData,
    // A band is known when its series is.
    enabled: set.series == null || series !== undefined || own !== undefined,
    retry: false,
    queryFn: () => told(api.POST("/api/campaigns/{id}/modes", { params, body })),
  });
  const analysis = modes.error ? undefined : modes.data?.analysis;
  const shapes = analysis ? shapesOf(analysis) : [];
  const hz = useMemo(
    () => (analysis ? shapesOf(analysis).map((m) => numberOf(analysis, m.mode ?? 0, "frequency")) : []),
    [analysis],
  );
  const at = Math.min(chosen, Math.max(shapes.length - 1, 0));
  const shown = shapes[at];
  const motion = modes.data?.motions.find((m) => m.mode === shown?.mode);
  const strange = modes.data?.strange ?? [];
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
      <ModesWords sets={sets} set={set} onChoose={onChoose} recipe={recipe} onRecipe={onRecipe} />
      <Wrong error={modes.error ?? error} />
      {modes.error && recipe.pick !== "stable" && (
        <Button look="link" onClick={() => onRecipe({ pick: "stable" })}>
          Take all that hold
        </Button>
      )}
      {!analysis && !modes.error && <Empty says="Looking for poles …" />}
      {analysis && (
        <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1.4fr)_minmax(0,1fr)] grid-rows-[minmax(0,1.25fr)_minmax(0,1fr)] gap-2">
          <Panel
            title="Stabilisation"
            says={`order over frequency; behind it the indicator of ${analysis.axes[1]?.values.length ?? 0} responses`}
            aside={
              <Button look="link" disabled={recipe.pick === "stable"} onClick={() => onRecipe({ pick: "stable" })}>
                Take all that hold
              </Button>
            }
          >
            <Stabilisation
              analysis={analysis}
              band={recipe.band_hz}
              modes={hz}
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
            motion={motion}
            says={shown ? `mode ${shown.mode}, ${digits(hz[at] ?? null, 5)} Hz` : ""}
            count={shapes.length}
            onStep={(by) => setChosen((at + by + shapes.length) % Math.max(shapes.length, 1))}
          />
          <Panel
            title="Modes"
            says={`${shapes.length} picked${missed != null ? `; they miss ${digits(100 * missed, 2)} % of what was measured` : ""}`}
            aside={
              <>
                <Button look="link" onClick={universal}>
                  UFF
                </Button>
                <Button look="link" onClick={() => setKeeping(true)}>
                  Keep
                </Button>
              </>
            }
          >
            {[
              ...analysis.cautions.map((c) => c.says),
              ...(strange.length > 0
                ? [
                    `the specimen has no point for ${strange.slice(0, 5).join(", ")}${strange.length > 5 ? " and others" : ""}`,
                  ]
                : []),
            ].map((says) => (
              <p key={says} className="px-3 text-[12px] leading-4 text-lamp">
                ▲ {says}
              </p>
            ))}
            <ModesTable analysis={analysis} chosen={at} onMode={setChosen} />
            <Compared campaign={campaign} body={body} />
          </Panel>
          <Synthesis campaign={campaign} set={of} recipe={recipe} analysis={analysis} />
        </div>
      )}
      {keeping && <KeepModes campaign={campaign} body={body} onClose={() => setKeeping(false)} />}
    </div>
  );
}
