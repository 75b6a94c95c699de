import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, type Refused, type ReportBody, told } from "../../api/client";
import { useReport, useRuns, useSaveReport } from "../../api/queries";
import { RunFile } from "../../jobs/RunFile";
import { useGo } from "../../shell/address";
import { noteFirst } from "../../shell/firstNotes";
import { useCampaign } from "../../shell/useCampaign";
import { Button } from "../../ui/Button";
import { dropDraft, keepDraft, takeDraft } from "../../ui/draft";
import { span } from "../../ui/format";
import { Empty, Panel, Wrong } from "../../ui/Panel";
import { ChosenWord, TypedWord } from "../../ui/Word";

/** Report: what is handed over, beside the page it makes. */
export function ReportStation() {
  const { id } = useCampaign();
  const report = useReport(id);
  const runs = (useRuns(id).data ?? []).filter((r) => r.samples > 0);
  const save = useSaveReport(id);
  const go = useGo();
  const pages = useQuery({
    queryKey: ["pages", id, report.data?.version, runs.length],
    enabled: id !== undefined && runs.length > 0 && report.data !== undefined,
    queryFn: ({ signal }) =>
      told(api.GET("/api/campaigns/{id}/report/pages", { params: { path: { id: id ?? 0 } }, signal })),
    placeholderData: keepPreviousData,
    retry: false,
  });

  if (!report.data) return report.error ? <Wrong error={report.error} /> : <Empty says="Loading report …" />;
  if (runs.length === 0) {
    return (
      <Empty says="A report is about a recorded run, and there is none yet.">
        <Button look="main" onClick={() => go("/run")}>
          Go to Run
        </Button>
      </Empty>
    );
  }
  const body = report.data.data;
  const set = (part: Partial<ReportBody>) => save.mutateAsync(part);
  const run = runs.find((r) => r.id === body.run_id) ?? runs.at(-1);
  const recipe = body.recipe as { lens?: string; channels?: number[]; block?: number; window?: string } | null;

  return (
    <div className="flex min-h-0 flex-1 flex-col gap-2">
      <div className="flex items-center gap-3">
        <h1 className="font-semibold">{body.title}</h1>
        <span className="text-[13px] text-soft">from run {run?.number}</span>
        <span className="ml-auto" />
        {run && (
          <>
            <RunFile run={run.id} format="wav" label="Run as WAV" />
            <RunFile run={run.id} format="csv" label="Run as CSV" />
          </>
        )}
        <a
          className="inline-flex h-8 items-center rounded-chart bg-harbour px-3 font-semibold text-sheet"
          href={`/api/campaigns/${id}/report.pdf`}
          download={`${body.title}.pdf`}
          onClick={() => noteFirst(id, "report")}
        >
          Save PDF
        </a>
      </div>
      <div className="grid min-h-0 flex-1 grid-cols-[340px_1fr] gap-3">
        <Panel title="What it says">
          <div className="flex min-h-0 flex-1 flex-col gap-3 overflow-auto px-3 pb-3 leading-8">
            <p>
              Under the title{" "}
              <TypedWord label="Title" value={body.title} width="34ch" onSet={(title) => set({ title })} plain /> it
              shows{" "}
              <ChosenWord
                label="Run"
                value={run?.id ?? 0}
                options={runs.map((r) => ({ value: r.id, says: `run ${r.number}, ${r.kind}, ${span(r.duration_s)}` }))}
                onSet={(run_id) => set({ run_id })}
              />{" "}
              with what was measured, the waveform, the spectrum
              {recipe?.channels ? ` of ${recipe.channels.length} channel${recipe.channels.length > 1 ? "s" : ""}` : ""}
              {recipe?.block ? `, blocks of ${recipe.block}` : ""}, the rig, and how each number was made.
            </p>
            {!recipe && (
              <p className="text-[13px] leading-5 text-soft">
                The spectrum is that of channel 1 until one is put in from Study.
                <br />
                <Button look="link" onClick={() => go(`/study/${run?.id ?? ""}`)}>
                  Choose it in Study
                </Button>
              </p>
            )}
            <Findings value={body.findings ?? ""} onSet={(findings) => set({ findings })} />
          </div>
        </Panel>
        <Panel
          title="The page"
          aside={
            save.isPending || pages.isFetching ? <span className="text-[13px] text-soft">Rendering …</span> : undefined
          }
        >
          <Wrong error={save.error ?? pages.error} />
          {pages.data ? (
            <section
              aria-label="Pages of the report"
              // biome-ignore lint/a11y/noNoninteractiveTabindex: it is scrolled with the keys
              tabIndex={0}
              className="min-h-0 flex-1 overflow-auto border-t border-rule bg-paper p-4"
            >
              {pages.data.map((svg, i) => (
                <img
                  // biome-ignore lint/suspicious/noArrayIndexKey: pages have no other name than their number
                  key={i}
                  alt={`Page ${i + 1} of the report`}
                  src={`data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`}
                  className="mx-auto mb-4 w-full max-w-[820px] border border-rule bg-white"
                />
              ))}
            </section>
          ) : (
            !pages.error && <Empty says="Rendering …" />
          )}
        </Panel>
      </div>
    </div>
  );
}

const FINDINGS = "Findings";

/** Findings in the engineer's words; saved as they are written. */
function Findings({ value, onSet }: { value: string; onSet: (text: string) => Promise<unknown> }) {
  const [draft] = useState(() => takeDraft(FINDINGS, value));
  const [text, setText] = useState(draft ?? value);
  const [error, setError] = useState<Error>();
  // Somebody else wrote meanwhile: nothing is saved until one of both is chosen.
  const [parted, setParted] = useState(false);
  const saved = useRef(value);
  const sent = useRef<string>(undefined);
  const written = useRef(text);
  written.current = text;
  useEffect(() => {
    const [before, mine] = [saved.current, written.current];
    saved.current = value;
    if (before === value || value === sent.current || value === mine) return;
    // Saved by somebody else: shown, unless something is being written here.
    if (mine === before) setText(value);
    else setParted(true);
  }, [value]);
  const save = (over = false) => {
    if (text === saved.current || (parted && !over)) return;
    setError(undefined);
    setParted(false);
    sent.current = text;
    onSet(text).then(
      () => dropDraft(FINDINGS, value),
      (e) => {
        setError(e);
        setParted((e as Refused).conflict === true);
      },
    );
  };
  const latest = useRef(save);
  latest.current = save;
  // A while after the last key, and when the station is left.
  // biome-ignore lint/correctness/useExhaustiveDependencies: the text is what is waited for
  useEffect(() => {
    const rest = window.setTimeout(() => latest.current(), 1500);
    return () => window.clearTimeout(rest);
  }, [text]);
  useEffect(() => () => latest.current(), []);
  return (
    <div className="flex flex-1 flex-col gap-1">
      <label className="flex flex-1 flex-col gap-1">
        <span className="font-semibold">Findings</span>
        <textarea
          className="min-h-40 flex-1 border border-rule bg-paper/40 p-2 leading-5"
          value={text}
          placeholder="What was found, in your words."
          onChange={(e) => {
            setText(e.target.value);
            keepDraft(FINDINGS, value, e.target.value);
          }}
          onBlur={() => save()}
        />
      </label>
      {error && !parted && <Wrong error={new Error(`Not saved: ${error.message} The text stays here.`)} />}
      {parted && (
        <div role="alert" className="border-l-4 border-lamp px-2 text-[13px] leading-5">
          <p className="text-lamp">
            ▲ Somebody else changed the report meanwhile. Your text above is not saved; theirs says:
          </p>
          <p className="max-h-40 overflow-auto whitespace-pre-wrap">
            {value === text ? "the same" : value || "(nothing)"}
          </p>
          <p className="flex gap-4">
            <Button look="link" onClick={() => save(true)}>
              Overwrite theirs
            </Button>
            <Button
              look="link"
              onClick={() => {
                setText(value);
                dropDraft(FINDINGS, value);
                setParted(false);
                setError(undefined);
              }}
            >
              Use theirs
            </Button>
          </p>
        </div>
      )}
    </div>
  );
}
