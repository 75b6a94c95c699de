/** What is done by itself when something ends: one sentence each, and the list of what was done. */
import { useState } from "react";
import { api, told } from "../../api/client";
import { useKeptResults, useReportTemplates } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Panel, Wrong } from "../../ui/Panel";
import { ChosenWord } from "../../ui/Word";
import { lensOf } from "../study/lens/lenses";
import {
  beforeReports,
  endsOf,
  fileRule,
  keepRule,
  modesRule,
  type Afterwards as Rule,
  reportRule,
  responsesRule,
} from "./afterwards";
import { Deed } from "./Deeds";
import { Done } from "./Done";
import type { PlanProps } from "./planProps";

export function Afterwards({ body, campaign, set }: PlanProps) {
  const [error, setError] = useState<Error>();
  const kept = useKeptResults(campaign).data ?? [];
  const templates = useReportTemplates().data ?? [];
  const all = body.plan.afterwards ?? [];
  const write = (to: Rule[], removed?: string) => {
    setError(undefined);
    return set({ afterwards: to }, removed);
  };
  const choose = (to: Rule[], removed?: string) => void write(to, removed).catch(setError);
  const changed = (i: number, rule: Rule) => all.map((a, k) => (k === i ? rule : a));
  const keep = async (key: number) => {
    try {
      const own = kept.find((k) => k.id === key);
      if (!own?.run_id) return;
      const run = await told(api.GET("/api/runs/{id}", { params: { path: { id: own.run_id } } }));
      await write(beforeReports(all, keepRule(own, run)));
    } catch (e) {
      setError(e as Error);
    }
  };
  const ofRuns = kept.filter((k) => k.run_id != null);
  return (
    <div className="grid min-h-0 flex-1 grid-rows-[auto_1fr] gap-3">
      <Panel
        title="Done by itself"
        says={
          body.files_to
            ? `files go to ${body.files_to}`
            : "this server has no folder for files: start it with --files-to and a folder"
        }
        className="max-h-[48vh]"
      >
        <div className="min-h-0 overflow-auto px-3 pb-2 leading-8">
          {all.length === 0 && (
            <p className="text-soft">
              Nothing is done by itself yet. A result can be kept, the run be written to a file and the report be made
              as soon as a recording has ended.
            </p>
          )}
          <ol aria-label="Sentences">
            {all.map((rule, i) => {
              const n = i + 1;
              const then = (part: object) => changed(i, { ...rule, what: { ...rule.what, ...part } as Rule["what"] });
              return (
                // biome-ignore lint/suspicious/noArrayIndexKey: a sentence is its place in the list
                <li key={i} className="border-t border-rule first:border-0">
                  When{" "}
                  <ChosenWord
                    label={`What ends ${n}`}
                    value={rule.when}
                    options={endsOf(rule.what)}
                    onSet={(when) => choose(changed(i, { ...rule, when }))}
                  />{" "}
                  has ended,{" "}
                  <Deed
                    n={n}
                    deed={rule.what}
                    templates={templates.map((t) => t.name)}
                    onSet={(p) => write(then(p))}
                    onChoose={(p) => choose(then(p))}
                  />
                  .
                  <button
                    type="button"
                    aria-label={`Remove sentence ${n}`}
                    className="px-1 text-[13px] hover:text-harbour"
                    onClick={() =>
                      choose(
                        all.filter((_, k) => k !== i),
                        `Sentence ${n} removed`,
                      )
                    }
                  >
                    ✕
                  </button>
                </li>
              );
            })}
          </ol>
          <Wrong error={error} />
          <p className="flex flex-wrap items-baseline gap-4">
            <Button look="link" onClick={() => choose([...all, fileRule()])}>
              Write a file
            </Button>
            <Button look="link" onClick={() => choose([...all, reportRule()])}>
              Make the report
            </Button>
            <Button look="link" onClick={() => choose(beforeReports(all, modesRule()))}>
              Find a tap series' modes
            </Button>
            <Button look="link" onClick={() => choose([...all, responsesRule()])}>
              Write its responses
            </Button>
            {ofRuns.length > 0 ? (
              <ChosenWord
                label="Save a result"
                value={0}
                empty="Save a result as …"
                options={ofRuns.map((k) => ({
                  value: k.id,
                  says: `“${k.name}”, ${lensOf((k.recipe as { lens: string }).lens).says.toLowerCase()} of run ${k.run_number}`,
                }))}
                onSet={(key) => void keep(key)}
              />
            ) : (
              <span className="text-[13px] text-soft">
                To have a result saved, save one of a run in Study first: it is made of every run in the same way.
              </span>
            )}
          </p>
          {all.some((a) => a.what.do !== "keep") && (
            <p className="text-[13px] leading-5 text-soft">
              Names and folders may hold {"{campaign}"}, {"{specimen}"}, {"{run}"}, {"{kind}"}, {"{date}"}, {"{time}"},{" "}
              {"{channels}"}; of channels, * stands for any letters and ? for one. No file is written over another.
            </p>
          )}
        </div>
      </Panel>
      <Done campaign={campaign} />
    </div>
  );
}
