/** Over the report: its title and run, and what it is handed over as. */
import type { RefObject } from "react";
import type { RunBody } from "../../api/client";
import { RunFile } from "../../jobs/RunFile";
import { noteFirst } from "../../shell/firstNotes";
import { Button } from "../../ui/Button";
import { Forms } from "./Forms";

type Props = {
  campaign: number;
  title: string;
  run: RunBody | undefined;
  /** Pressed by its key too. */
  pdf: RefObject<HTMLAnchorElement | null>;
  onTemplates: () => void;
  onCheck: () => void;
};

export function ReportBar({ campaign, title, run, pdf, onTemplates, onCheck }: Props) {
  return (
    <div className="flex items-center gap-3">
      <h1 className="truncate font-semibold">{title}</h1>
      {run && <span className="text-[13px] whitespace-nowrap text-soft">from run {run.number}</span>}
      <span className="ml-auto" />
      <Forms campaign={campaign} title={title} />
      {run && (
        <>
          <RunFile run={run.id} format="wav" label="Run as WAV" />
          <RunFile run={run.id} format="csv" label="Run as CSV" />
        </>
      )}
      <Button onClick={onTemplates}>Templates</Button>
      <Button onClick={onCheck}>Check a PDF</Button>
      <a
        ref={pdf}
        className="inline-flex h-8 items-center gap-2 rounded-chart bg-harbour px-3 font-semibold whitespace-nowrap text-sheet"
        href={`/api/campaigns/${campaign}/report.pdf`}
        download={`${title}.pdf`}
        onClick={() => noteFirst(campaign, "report")}
      >
        Save PDF <kbd aria-hidden>P</kbd>
      </a>
    </div>
  );
}
