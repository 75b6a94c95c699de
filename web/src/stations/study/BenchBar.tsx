/** Which bench of lenses, another lens, the bench kept under a name. */

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type RunDetail, type Schema, told } from "../../api/client";
import { Button } from "../../ui/Button";
import { offerUndo } from "../../ui/undo";
import { ChosenWord, TypedWord } from "../../ui/Word";
import { fresh, type Panel, probes, ready, type Working } from "./bench";
import { lenses, type Recipe } from "./lens/lenses";

type Props = {
  campaign: number | undefined;
  run: RunDetail;
  bench: Working;
  markers: Schema["MarkersBody"] | undefined;
  onBench: (bench: Working) => void;
};

export function BenchBar({ campaign, run, bench, markers, onBench }: Props) {
  const client = useQueryClient();
  const [error, setError] = useState<Error>();
  const id = campaign ?? 0;
  const kept = useQuery({
    queryKey: ["study-benches", campaign],
    enabled: campaign !== undefined,
    queryFn: () => told(api.GET("/api/campaigns/{id}/study-benches", { params: { path: { id } } })),
  }).data;
  const recipes = useQuery({
    queryKey: ["recipes", campaign],
    enabled: campaign !== undefined,
    queryFn: () => told(api.GET("/api/campaigns/{id}/recipes", { params: { path: { id } } })),
  }).data;
  const add = (panel: Panel) => onBench({ ...bench, panels: [...bench.panels, panel] });
  const done = () => client.invalidateQueries({ queryKey: ["study-benches", campaign] });
  const named = (name: string) => ({ params: { path: { id, name } } });
  const keep = async (name: string) => {
    setError(undefined);
    const body = { panels: bench.panels as never };
    await told(api.PUT("/api/campaigns/{id}/study-benches/{name}", { ...named(name.trim()), body }));
    onBench({ ...bench, name: name.trim() });
    done();
  };
  const current = kept?.find((b) => b.name === bench.name);
  const changed = current && JSON.stringify(current.bench.panels) !== JSON.stringify(bench.panels);
  const first = { value: "", says: "Unsaved bench" };
  return (
    <div role="toolbar" aria-label="Bench" className="flex min-h-7 items-center gap-4 text-[13px]">
      <span>
        Bench{" "}
        <ChosenWord
          label="Bench"
          value={bench.name}
          options={[
            ...(bench.name === "" ? [first] : []),
            ...ready.map((b) => ({ value: b.name, says: b.name })),
            ...(kept ?? []).map((b) => ({ value: b.name, says: b.name })),
          ]}
          onSet={(name) => {
            const own = kept?.find((b) => b.name === name);
            const made = ready.find((b) => b.name === name);
            if (own) onBench({ name, panels: own.bench.panels as unknown as Panel[] });
            else if (made) onBench({ name, panels: made.panels(run, markers) });
          }}
        />
        {changed && " (changed)"}
      </span>
      <ChosenWord
        label="Add a lens"
        value=""
        options={[
          ...lenses.map((l) => ({ value: l.lens, says: l.says })),
          ...(recipes ?? []).map((r) => ({ value: `recipe ${r.name}`, says: `${r.name}, a kept recipe` })),
        ]}
        onSet={(lens) => {
          const bottom = Math.max(0, ...bench.panels.map((p) => p.y + p.h));
          const recipe = recipes?.find((r) => `recipe ${r.name}` === lens)?.recipe as unknown as Recipe | undefined;
          const channels = lens === "orbit" ? probes(run) : [];
          const panel = fresh(recipe?.lens ?? lens, run, markers, { y: bottom, w: 12, channels });
          add(recipe ? { ...panel, recipe } : panel);
        }}
        empty="Add a lens"
      />
      <span>
        Save as{" "}
        <TypedWord
          label="Name of the bench"
          value={ready.some((b) => b.name === bench.name) ? "" : bench.name}
          width="16ch"
          plain
          onSet={(name) => keep(name)}
        />
      </span>
      {changed && (
        <Button look="link" onClick={() => keep(bench.name).catch(setError)}>
          Save changes
        </Button>
      )}
      {current && (
        <Button
          look="link"
          onClick={() =>
            told(api.DELETE("/api/campaigns/{id}/study-benches/{name}", named(current.name)))
              .then(() => {
                const { name, bench: gone } = current;
                onBench({ ...bench, name: "" });
                done();
                offerUndo(`Bench ${name} deleted`, async () => {
                  await told(api.PUT("/api/campaigns/{id}/study-benches/{name}", { ...named(name), body: gone }));
                  onBench({ name, panels: gone.panels as unknown as Panel[] });
                  done();
                });
              })
              .catch(setError)
          }
        >
          Delete bench
        </Button>
      )}
      {error && <span className="text-reef">{error.message}</span>}
    </div>
  );
}
