/** Which bench of lenses, another lens, the bench kept under a name. */
import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { api, type RunDetail, type Schema, told } from "../../api/client";
import { below } from "../../ui/BenchGrid";
import { type BenchStore, BenchWords } from "../../ui/BenchWords";
import { ChosenWord } from "../../ui/Word";
import { fresh, type Panel, probes, ready, type Working } from "./bench";
import { lenses, type Recipe } from "./lens/lenses";

type Props = {
  campaign: number | undefined;
  run: RunDetail;
  bench: Working;
  markers: Schema["MarkersBody"] | undefined;
  onBench: (bench: Working) => void;
};

/** Benches of lenses of a campaign. */
function storeOf(id: number): BenchStore<Panel[]> {
  const named = (name: string) => ({ params: { path: { id, name } } });
  return {
    key: ["study", id],
    list: async () => {
      const all = await told(api.GET("/api/campaigns/{id}/study-benches", { params: { path: { id } } }));
      return all.map((b) => ({ name: b.name, bench: b.bench.panels as unknown as Panel[] }));
    },
    keep: (name, panels) =>
      told(api.PUT("/api/campaigns/{id}/study-benches/{name}", { ...named(name), body: { panels: panels as never } })),
    drop: (name) => told(api.DELETE("/api/campaigns/{id}/study-benches/{name}", named(name))),
  };
}

export function BenchBar({ campaign, run, bench, markers, onBench }: Props) {
  const recipes = useQuery({
    queryKey: ["recipes", campaign],
    enabled: campaign !== undefined,
    queryFn: () => told(api.GET("/api/campaigns/{id}/recipes", { params: { path: { id: campaign ?? 0 } } })),
  }).data;
  const add = (lens: string) => {
    const recipe = recipes?.find((r) => `recipe ${r.name}` === lens)?.recipe as unknown as Recipe | undefined;
    const channels = lens === "orbit" ? probes(run) : [];
    const panel = fresh(recipe?.lens ?? lens, run, markers, { y: below(bench.panels), w: 12, channels });
    onBench({ ...bench, panels: [...bench.panels, recipe ? { ...panel, recipe } : panel] });
  };
  // Untouched a bench is also as an address brings it, before the speed is read.
  const always = useMemo(
    () =>
      ready.map((b) => ({
        name: b.name,
        make: () => b.panels(run, markers),
        also: () => b.panels(run, undefined),
      })),
    [run, markers],
  );
  return (
    <BenchWords
      store={campaign === undefined ? undefined : storeOf(campaign)}
      name={bench.name}
      bench={bench.panels}
      ready={always}
      onBench={(name, panels) => onBench({ name, panels })}
      add={
        <ChosenWord
          label="Add a lens"
          value=""
          options={[
            ...lenses.map((l) => ({ value: l.lens, says: l.says })),
            ...(recipes ?? []).map((r) => ({ value: `recipe ${r.name}`, says: `${r.name}, a kept recipe` })),
          ]}
          onSet={add}
          empty="Add a lens"
        />
      }
    />
  );
}
