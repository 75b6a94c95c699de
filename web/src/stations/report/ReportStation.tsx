import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { api, type ReportBody, told, type Versioned } from "../../api/client";
import { useKeptResults, useReport, useRuns, useSaveReport } from "../../api/queries";
import { useGo } from "../../shell/address";
import { useKeys } from "../../shell/keys";
import { useCampaign } from "../../shell/useCampaign";
import { Button } from "../../ui/Button";
import { Empty, Panel, Wrong } from "../../ui/Panel";
import { offerUndo } from "../../ui/undo";
import { BlockList } from "./BlockList";
import { BlockWords } from "./BlockWords";
import { added, type Block, changed, copied, folded, moved, nameOf, takenBack, without } from "./blocks";
import { CheckReport } from "./CheckReport";
import { Letterhead } from "./Letterhead";
import { ReportBar } from "./ReportBar";
import { ReportWords } from "./ReportWords";
import { Stale } from "./Stale";
import { Templates } from "./Templates";

/** Report: what is handed over, block by block, beside the pages it makes. */
export function ReportStation() {
  const { id } = useCampaign();
  const report = useReport(id);
  const runs = (useRuns(id).data ?? []).filter((r) => r.samples > 0);
  const kept = useKeptResults(id).data ?? [];
  const [checking, setChecking] = useState(false);
  const [choosing, setChoosing] = useState(false);
  const [heading, setHeading] = useState(false);
  const save = useSaveReport(id);
  const go = useGo();
  const client = useQueryClient();
  const [params, setParams] = useSearchParams();
  // The address follows a moment later: keys that come fast find what was chosen here.
  const [chosen, setOwn] = useState(Number(params.get("block")) || undefined);
  const setChosen = (block: number) => {
    setOwn(block);
    setParams({ block: `${block}` }, { replace: true });
  };
  const pdf = useRef<HTMLAnchorElement>(null);
  // What is kept may have come with a file, without a run.
  const something = runs.length > 0 || kept.length > 0;
  useKeys("Report", [{ key: "p", says: "Save the report as PDF", run: () => pdf.current?.click() }]);
  const pages = useQuery({
    queryKey: ["pages", id, report.data?.version, runs.length, kept.map((k) => k.made_at).join()],
    enabled: id !== undefined && something && report.data !== undefined,
    queryFn: ({ signal }) =>
      told(api.GET("/api/campaigns/{id}/report/pages", { params: { path: { id: id ?? 0 } }, signal })),
    placeholderData: keepPreviousData,
    retry: false,
  });

  if (!report.data) return report.error ? <Wrong error={report.error} /> : <Empty says="Loading report …" />;
  if (!something) {
    return (
      <Empty says="A report is about a recorded run, and there is none yet.">
        <Button look="main" onClick={() => go("/run")}>
          Go to Run
        </Button>
      </Empty>
    );
  }
  const body = report.data.data;
  const set = (part: Partial<ReportBody> | ((now: ReportBody) => Partial<ReportBody>)) => save.mutateAsync(part);
  const run = runs.find((r) => r.id === body.run_id) ?? runs.at(-1);
  const block = body.blocks.find((b) => b.id === chosen) ?? body.blocks.find((b) => b.show.what === "text");
  /** Changes the list of blocks, and offers to take that back. */
  const list = (says: string, to: (blocks: Block[]) => Block[], choose?: number) => {
    const key = ["report", id];
    const now = client.getQueryData<Versioned<ReportBody>>(key);
    if (!now) return;
    const before = now.data.blocks;
    const blocks = to(before);
    // Shown at once, so that the next key finds it; what is refused is read anew.
    client.cancelQueries({ queryKey: key }, { revert: false });
    client.setQueryData<Versioned<ReportBody>>(key, { ...now, data: { ...now.data, blocks } });
    if (choose !== undefined) setChosen(choose);
    set({ blocks }).then(
      () => {
        offerUndo<void>(
          says,
          () => set((now) => ({ blocks: takenBack(now.blocks, before, blocks) })),
          () => set((now) => ({ blocks: to(now.blocks) })),
        );
      },
      () => {},
    );
  };
  /** Gives the report the blocks of a template, and offers to take that back. */
  const use = async (template: string) => {
    const before = { blocks: body.blocks, language: body.language ?? "english", paper: body.paper ?? "a4" };
    const params = { path: { id: id ?? 0 }, query: {} };
    const to = async () => {
      await told(api.POST("/api/campaigns/{id}/report/from-template", { params, body: { template } }));
      await client.invalidateQueries({ queryKey: ["report", id] });
    };
    await to();
    offerUndo<void>(`The report has the blocks of “${template}”`, () => set(before), to);
  };
  const named = (of: number) => {
    const found = body.blocks.find((b) => b.id === of);
    return found ? nameOf(found) : "block";
  };

  return (
    <div className="flex min-h-0 flex-1 flex-col gap-2">
      <ReportBar
        campaign={id ?? 0}
        title={body.title}
        run={run}
        pdf={pdf}
        onTemplates={() => setChoosing(true)}
        onCheck={() => setChecking(true)}
      />
      {id !== undefined && <Stale campaign={id} blocks={body.blocks} kept={kept} />}
      <div className="grid min-h-0 flex-1 grid-cols-[272px_minmax(0,1fr)_304px] gap-2">
        <BlockList
          blocks={body.blocks}
          runs={runs}
          kept={kept}
          refused={pages.data?.refused ?? []}
          chosen={block?.id}
          onChoose={setChosen}
          onAdd={(what) => {
            const now = added(body.blocks, what, block?.id);
            list("A block was added", (blocks) => added(blocks, what, block?.id).blocks, now.id);
          }}
          onMove={(of, by) => list(`${named(of)} was moved`, (blocks) => moved(blocks, of, by), of)}
          onCopy={(of) =>
            list(`${named(of)} was copied`, (blocks) => copied(blocks, of).blocks, copied(body.blocks, of).id)
          }
          onFold={(of) => {
            const away = !body.blocks.find((b) => b.id === of)?.folded;
            list(`${named(of)} was ${away ? "folded away" : "put on the page"}`, (blocks) => folded(blocks, of), of);
          }}
          onRemove={(of) => {
            if (body.blocks.length === 1) return;
            const at = body.blocks.findIndex((b) => b.id === of);
            const next = without(body.blocks, of)[Math.min(at, body.blocks.length - 2)];
            list(`${named(of)} was removed`, (blocks) => without(blocks, of), next?.id);
          }}
        />
        <Panel
          title="The page"
          says={pages.data && `${pages.data.pages.length} page${pages.data.pages.length === 1 ? "" : "s"}`}
          aside={
            save.isPending || pages.isFetching ? <span className="text-[13px] text-soft">Rendering …</span> : undefined
          }
        >
          <Wrong error={pages.error} />
          {pages.data ? (
            <section
              aria-label="Pages of the report"
              // biome-ignore lint/a11y/noNoninteractiveTabindex: it is scrolled with the keys
              tabIndex={0}
              className="min-h-0 flex-1 overflow-auto border-t border-rule bg-paper p-3"
            >
              {pages.data.pages.map((page, i) => (
                <img
                  // biome-ignore lint/suspicious/noArrayIndexKey: pages have no other name than their number
                  key={i}
                  alt={`Page ${i + 1} of the report`}
                  src={page}
                  loading="lazy"
                  // One that was set long ago is not at hand any more.
                  onError={() => void pages.refetch()}
                  className="mx-auto mb-3 w-full max-w-[820px] border border-rule bg-white"
                />
              ))}
            </section>
          ) : (
            !pages.error && <Empty says="Rendering …" />
          )}
        </Panel>
        <Panel title="What it says">
          <ReportWords body={body} run={run} runs={runs} onSet={set} onLetterhead={() => setHeading(true)} />
          <Wrong error={save.error} />
          {block && (
            <>
              <h3 className="mt-2 border-t border-rule px-3 pt-2 font-semibold">
                Block {body.blocks.indexOf(block) + 1}
              </h3>
              <BlockWords
                key={block.id}
                block={block}
                runs={runs}
                kept={kept}
                run={run}
                made={pages.data?.made.find((m) => m.id === block.id)?.recipe}
                onSet={(part) => set((now) => ({ blocks: changed(now.blocks, block.id, part) }))}
              />
            </>
          )}
        </Panel>
      </div>
      {choosing && id !== undefined && <Templates report={body} onUse={use} onClose={() => setChoosing(false)} />}
      {heading && <Letterhead onClose={() => setHeading(false)} />}
      {checking && id !== undefined && <CheckReport campaign={id} onClose={() => setChecking(false)} />}
    </div>
  );
}
