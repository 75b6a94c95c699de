/** A lens kept: its recipe under a name, and its result of one run or of many. */
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type RunDetail, told } from "../../api/client";
import { useRuns } from "../../api/queries";
import { useGo } from "../../shell/address";
import { Button } from "../../ui/Button";
import { plain, span } from "../../ui/format";
import { Wrong } from "../../ui/Panel";
import { ChosenWord } from "../../ui/Word";
import { lensOf } from "./lens/lenses";
import { watchList } from "./results/list";

export type Recipe = { lens: string; stretch?: { from_s: number; to_s: number }; [key: string]: unknown };

export function KeepDialog({
  campaign,
  run,
  recipe,
  says = lensOf(recipe.lens).says.toLowerCase(),
  onClose,
}: {
  campaign: number;
  run: RunDetail;
  recipe: Recipe;
  /** What is kept, where it is no lens of the bench. */
  says?: string;
  onClose: () => void;
}) {
  const client = useQueryClient();
  const go = useGo();
  const runs = (useRuns(campaign).data ?? []).filter((r) => r.samples > 0);
  const [name, setName] = useState(says);
  const [whole, setWhole] = useState(false);
  const [chosen, setChosen] = useState<number[]>([run.id]);
  const [error, setError] = useState<Error>();
  const { from_s = 0, to_s = run.duration_s } = recipe.stretch ?? {};
  const { stretch: _, ...without } = recipe;
  const asked = whole ? without : recipe;
  const make = async () => {
    setError(undefined);
    try {
      if (chosen.length === 0) throw new Error("choose one run or more");
      const { id } = await told(
        api.POST("/api/campaigns/{id}/jobs/results", {
          params: { path: { id: campaign } },
          body: { name, recipe: asked as never, numbered_as: run.id, runs: chosen },
        }),
      );
      watchList(campaign, id);
      onClose();
      go(`/study/${run.id}/results`);
    } catch (e) {
      setError(e as Error);
    }
  };
  const keepRecipe = async () => {
    setError(undefined);
    try {
      const { channels: __, ...settings } = without as Recipe & { channels?: unknown };
      await told(
        api.PUT("/api/campaigns/{id}/recipes/{name}", {
          params: { path: { id: campaign, name: name.trim() } },
          body: settings as never,
        }),
      );
      await client.invalidateQueries({ queryKey: ["recipes", campaign] });
      onClose();
    } catch (e) {
      setError(e as Error);
    }
  };
  return (
    <Dialog open onClose={onClose} className="relative z-40">
      <div className="fixed inset-0 bg-ink/15" aria-hidden />
      <div className="fixed inset-x-0 top-24 mx-auto w-[34rem]">
        <DialogPanel className="panel flex flex-col gap-2 p-4 shadow-xl">
          <DialogTitle className="font-semibold">Save {says}</DialogTitle>
          <p className="leading-8">
            Under the name{" "}
            <input
              aria-label="Name of the result"
              className="word w-56 font-sans! font-normal!"
              value={name}
              onChange={(e) => setName(e.target.value)}
            />{" "}
            save it of{" "}
            <ChosenWord
              label="Stretch of the result"
              value={whole ? "whole" : "bracket"}
              options={[
                {
                  value: "bracket",
                  says: `${plain(Number(from_s.toFixed(3)))} to ${plain(Number(to_s.toFixed(3)))} s`,
                },
                { value: "whole", says: "the whole length" },
              ]}
              onSet={(v) => setWhole(v === "whole")}
            />{" "}
            of each of these runs; channels are found by their names:
          </p>
          <ul className="max-h-56 overflow-auto border border-rule px-3 py-1 text-[13px]">
            {[...runs].reverse().map((r) => (
              <li key={r.id}>
                <label className="flex cursor-pointer items-center gap-2">
                  <input
                    type="checkbox"
                    className="accent-harbour"
                    checked={chosen.includes(r.id)}
                    onChange={() =>
                      setChosen(chosen.includes(r.id) ? chosen.filter((x) => x !== r.id) : [...chosen, r.id])
                    }
                  />
                  run {r.number}, {r.kind}, {span(r.duration_s)}
                </label>
              </li>
            ))}
          </ul>
          <Wrong error={error} />
          <p className="flex items-center gap-4">
            <Button look="main" onClick={make}>
              Compute and save {chosen.length === 1 ? "it" : `${chosen.length} results`}
            </Button>
            <Button look="link" onClick={() => setChosen(runs.map((r) => r.id))}>
              All runs
            </Button>
            <Button look="link" onClick={keepRecipe}>
              Save the recipe only
            </Button>
            <Button look="link" className="ml-auto" onClick={onClose}>
              Close
            </Button>
          </p>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
