/** Sentences of what is done by itself: their words, and new ones. */
import type { RunDetail, Schema } from "../../api/client";
import { formats, reportForms } from "../../jobs/fileForms";

export type Afterwards = Schema["Afterwards"];
export type DeedBody = Schema["DeedBody"];

/** What ends; `run` where there is one run that it is about. */
export const ends: { value: Afterwards["when"]; says: string; run: boolean }[] = [
  { value: "run", says: "a recording", run: true },
  { value: "round", says: "a round", run: true },
  { value: "rounds", says: "the last round", run: false },
  { value: "series", says: "a tap series", run: false },
];

export const fileRule = (): Afterwards => ({
  when: "run",
  what: { do: "file", export: { format: "parquet" }, folder: "{campaign}" },
});

export const reportRule = (): Afterwards => ({
  when: "run",
  what: { do: "report", form: "pdf", folder: "{campaign}" },
});

export const responsesRule = (): Afterwards => ({
  when: "series",
  what: { do: "responses", binary: true, folder: "{campaign}" },
});

export const modesRule = (): Afterwards => ({
  when: "series",
  what: { do: "modes", name: "modes", recipe: { lens: "modes" } as never },
});

/** What ends that something can follow. */
export const endsOf = (what: Afterwards["what"]) =>
  ends.filter((e) =>
    what.do === "report" ? true : what.do === "modes" || what.do === "responses" ? e.value === "series" : e.run,
  );

/** What was kept of a run, of every run: channels by the names they have in it. */
export const keepRule = (
  kept: Pick<Schema["KeptResultBody"], "name" | "recipe">,
  run: Pick<RunDetail, "channels">,
): Afterwards => {
  // A stretch and takes belong to the run it was kept of; every run is looked at as a whole.
  const { stretch: _, takes: __, ...recipe } = kept.recipe as Record<string, unknown>;
  const channels: string[] = [];
  for (const c of run.channels) channels[c.channel - 1] = c.recorded.name;
  return {
    when: "run",
    what: { do: "keep", name: kept.name, recipe: recipe as never, channels: Array.from(channels, (n) => n ?? "") },
  };
};

/** A sentence before the first report, which then finds what it keeps. */
export function beforeReports(all: Afterwards[], rule: Afterwards): Afterwards[] {
  const at = all.findIndex((a) => a.what.do === "report");
  const before = at < 0 ? all.length : at;
  return [...all.slice(0, before), rule, ...all.slice(before)];
}

/** What ended, as the list says it. */
export const endedWords = (d: Pick<DeedBody, "ending" | "number">) =>
  d.ending === "rounds" ? "rounds" : d.ending === "series" ? `tap series ${d.number}` : `run ${d.number}`;

/** What is done, as the list says it. */
export function doneWords(what: Afterwards["what"]): string {
  if (what.do === "keep") return `“${what.name}” kept`;
  if (what.do === "modes") return `modes kept as “${what.name}”`;
  if (what.do === "responses") return "responses written as a universal file";
  if (what.do === "file") return `written as ${formats.find((f) => f.value === what.export.format)?.face}`;
  const form = reportForms.find((f) => f.value === (what.form ?? "pdf"))?.face;
  return `report as ${form}${what.template ? ` by “${what.template}”` : ""}`;
}
