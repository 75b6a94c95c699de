/** What is done by itself when something ends: one sentence each, and the list of what was done. */
import { useState } from "react";
import { api, type Schema, told } from "../../api/client";
import { useKeptResults, useReportTemplates } from "../../api/queries";
import { formats, reportForms, separators } from "../../jobs/fileForms";
import { Button } from "../../ui/Button";
import { Panel, Wrong } from "../../ui/Panel";
import { ChosenWord, TypedWord } from "../../ui/Word";
import { lensOf } from "../study/lens/lenses";
import { ends, fileRule, keepRule, type Afterwards as Rule, reportRule } from "./afterwards";
import { Done } from "./Done";
import type { PlanProps } from "./planProps";

type Deed = Rule["what"];
type Of<K extends Deed["do"]> = Extract<Deed, { do: K }>;

const width = (text: string, least: number) => `${Math.min(Math.max(text.length, least), 40) + 0.6}ch`;

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
      // Before the first report, which then finds it.
      const at = all.findIndex((a) => a.what.do === "report");
      const before = at < 0 ? all.length : at;
      await write([...all.slice(0, before), keepRule(own, run), ...all.slice(before)]);
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
              const then = (part: object) => changed(i, { ...rule, what: { ...rule.what, ...part } as Deed });
              return (
                // biome-ignore lint/suspicious/noArrayIndexKey: a sentence is its place in the list
                <li key={i} className="border-t border-rule first:border-0">
                  When{" "}
                  <ChosenWord
                    label={`What ends ${n}`}
                    value={rule.when}
                    options={ends.filter((e) => rule.what.do === "report" || e.run)}
                    onSet={(when) => choose(changed(i, { ...rule, when }))}
                  />{" "}
                  has ended, {rule.what.do === "keep" && <Keep n={n} deed={rule.what} onSet={(p) => write(then(p))} />}
                  {rule.what.do === "file" && (
                    <File n={n} deed={rule.what} onSet={(p) => write(then(p))} onChoose={(p) => choose(then(p))} />
                  )}
                  {rule.what.do === "report" && (
                    <Report
                      n={n}
                      deed={rule.what}
                      templates={templates.map((t) => t.name)}
                      onSet={(p) => write(then(p))}
                      onChoose={(p) => choose(then(p))}
                    />
                  )}
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
            {ofRuns.length > 0 ? (
              <ChosenWord
                label="Keep a result"
                value={0}
                empty="Keep a result as …"
                options={ofRuns.map((k) => ({
                  value: k.id,
                  says: `“${k.name}”, ${lensOf((k.recipe as { lens: string }).lens).says.toLowerCase()} of run ${k.run_number}`,
                }))}
                onSet={(key) => void keep(key)}
              />
            ) : (
              <span className="text-[13px] text-soft">
                To have a result kept, keep one of a run in Study first: it is made of every run in the same way.
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

function Keep({ n, deed, onSet }: { n: number; deed: Of<"keep">; onSet: (part: object) => Promise<unknown> }) {
  const recipe = deed.recipe as unknown as { lens: string; channels?: number[] };
  const named = (recipe.channels ?? []).map((c) => deed.channels[c - 1]).filter(Boolean);
  return (
    <>
      its {lensOf(recipe.lens).says.toLowerCase()}
      {named.length > 0 && <> of {named.length > 2 ? `${named.length} channels` : named.join(" and ")}</>} is kept as{" "}
      <TypedWord
        label={`Name ${n}`}
        value={deed.name}
        width={width(deed.name, 8)}
        plain
        onSet={(name) => onSet({ name })}
      />
    </>
  );
}

type Props<K extends Deed["do"]> = {
  n: number;
  deed: Of<K>;
  /** Rejects with the reason where what was typed is refused. */
  onSet: (part: object) => Promise<unknown>;
  onChoose: (part: object) => void;
};

function Folder({ n, value, onSet }: { n: number; value: string; onSet: (folder: string) => Promise<unknown> }) {
  return (
    <>
      {" in the folder "}
      <TypedWord label={`Folder ${n}`} value={value} width={width(value, 12)} plain onSet={onSet} />
    </>
  );
}

function File({ n, deed, onSet, onChoose }: Props<"file">) {
  const e = deed.export;
  const put = (part: Partial<Schema["RunExport"]>) => ({ export: { ...e, ...part } });
  return (
    <>
      the run is written as{" "}
      <ChosenWord
        label={`Kind of file ${n}`}
        value={e.format}
        options={formats}
        onSet={(format) => onChoose(put({ format, ...(format === "csv" ? {} : { decimal_comma: false }) }))}
      />
      {e.format === "csv" && (
        <>
          {" with "}
          <ChosenWord
            label={`Between the cells ${n}`}
            value={`${e.separator ?? "comma"}${e.decimal_comma ? " ," : ""}`}
            options={separators}
            onSet={(to) => onChoose(put(separators.find((s) => s.value === to)?.put ?? {}))}
          />
        </>
      )}
      , channels{" "}
      <TypedWord
        label={`Channels ${n}`}
        value={e.named || "all"}
        width={width(e.named ?? "", 8)}
        plain
        onSet={(text) => onSet(put({ named: ["all", "*"].includes(text.trim()) ? "" : text.trim(), channels: [] }))}
      />
      , in{" "}
      <ChosenWord
        label={`Numbers ${n}`}
        value={e.counts ? "counts" : "units"}
        options={[
          { value: "units", says: "engineering units" },
          { value: "counts", says: "counts of the converter" },
        ]}
        onSet={(v) => onChoose(put({ counts: v === "counts" }))}
      />
      , called{" "}
      <TypedWord
        label={`Name ${n}`}
        value={e.name || "run-{run}"}
        width={width(e.name ?? "", 10)}
        plain
        onSet={(name) => onSet(put({ name: name === "run-{run}" ? "" : name }))}
      />
      <Folder n={n} value={deed.folder ?? ""} onSet={(folder) => onSet({ folder })} />
    </>
  );
}

function Report({ n, deed, templates, onSet, onChoose }: Props<"report"> & { templates: string[] }) {
  const own = deed.template ?? "";
  return (
    <>
      the report is made{" "}
      <ChosenWord
        label={`Template ${n}`}
        value={own}
        options={[
          { value: "", says: "as it stands" },
          ...templates.map((t) => ({ value: t, says: `by the template “${t}”` })),
          ...(own && !templates.includes(own) ? [{ value: own, says: `by “${own}”, which is gone` }] : []),
        ]}
        onSet={(template) => onChoose({ template: template || null })}
      />
      , as{" "}
      <ChosenWord
        label={`Form of the report ${n}`}
        value={deed.form ?? "pdf"}
        options={reportForms}
        onSet={(form) => onChoose({ form })}
      />
      , called{" "}
      <TypedWord
        label={`Name ${n}`}
        value={deed.name || "report {run}"}
        width={width(deed.name ?? "", 12)}
        plain
        onSet={(name) => onSet({ name: name === "report {run}" ? "" : name })}
      />
      <Folder n={n} value={deed.folder ?? ""} onSet={(folder) => onSet({ folder })} />
    </>
  );
}
