/** Study: the run of the address, or the newest one, on a bench of lenses. */
import { type ReactNode, Suspense, useEffect, useState } from "react";
import { Navigate, NavLink, useLocation, useParams } from "react-router";
import type { RunDetail } from "../../api/client";
import { useRun, useRuns } from "../../api/queries";
import { RunFile } from "../../jobs/RunFile";
import { RunFileDialog } from "../../jobs/RunFileDialog";
import { useGo, useTo, within } from "../../shell/address";
import { noteFirst } from "../../shell/firstNotes";
import { later } from "../../shell/later";
import { useCampaign } from "../../shell/useCampaign";
import { Button } from "../../ui/Button";
import { Empty, Wrong } from "../../ui/Panel";
import { BenchView } from "./BenchView";
import { bracketOf } from "./look";

const EventsView = later(() => import("./EventsView"), "EventsView");
const ResultsView = later(() => import("./results/ResultsView"), "ResultsView");
const ComputedView = later(() => import("./computed/ComputedView"), "ComputedView");
const FunctionsView = later(() => import("./functions/FunctionsView"), "FunctionsView");
const ModesView = later(() => import("./modes/ModesView"), "ModesView");
const DeflectionView = later(() => import("./deflection/DeflectionView"), "DeflectionView");
const MachineView = later(() => import("./machine/MachineView"), "MachineView");

const views = [
  { path: "", says: "Bench" },
  { path: "events", says: "Events" },
  { path: "results", says: "Results" },
  { path: "responses", says: "Responses" },
  { path: "modes", says: "Modes" },
  { path: "deflection", says: "Deflection" },
  { path: "computed", says: "Computed" },
  { path: "machine", says: "Machine" },
];

/** Views that are of the campaign, whatever run is opened. */
const ofCampaign: Record<string, (id: number | undefined, run?: RunDetail) => ReactNode> = {
  results: (id) => <ResultsView campaign={id} />,
  responses: (id) => <FunctionsView campaign={id} />,
  modes: (id, run) => <ModesView campaign={id} run={run} />,
};

export function StudyStation() {
  const { id } = useCampaign();
  const runs = useRuns(id);
  const { run: asked, view = "" } = useParams();
  const newest = runs.data?.findLast((r) => r.samples > 0)?.id;
  const number = Number(asked);
  const run = useRun(Number.isFinite(number) && number > 0 ? number : newest);
  const go = useGo();
  const to = useTo();
  const { search } = useLocation();
  const [writing, setWriting] = useState(false);
  const opened = (run.data?.samples ?? 0) > 0;
  useEffect(() => {
    if (opened) noteFirst(id, "spectrum");
  }, [opened, id]);
  if (run.error) return <Wrong error={run.error} />;
  if (!run.data) {
    // Results of files need no run.
    const needless = ofCampaign[view];
    if (runs.data && newest === undefined && needless)
      return <Suspense fallback={<Empty says="Opening …" />}>{needless(id)}</Suspense>;
    return runs.data && newest === undefined ? (
      <Empty says="There is nothing to study yet. A recorded run appears here and in the log below.">
        <Button look="main" onClick={() => go("/run")}>
          Go to Run
        </Button>{" "}
        <Button onClick={() => go("/study/newest/results")}>Kept results</Button>
      </Empty>
    ) : (
      <Empty says="Opening run …" />
    );
  }
  // An old address, or one that was put together wrong: a run is shown in its own campaign alone.
  if (run.data.campaign_id !== id)
    return <Navigate to={within(run.data.campaign_id, `/study/${run.data.id}${view && `/${view}`}`)} replace />;
  if (run.data.samples === 0) {
    return (
      <Empty
        says={
          run.data.state === "recording"
            ? `Run ${run.data.number} is being recorded. It can be studied as soon as it has ended.`
            : `Run ${run.data.number} holds no samples: ${run.data.ended_because ?? ""}.`
        }
      />
    );
  }
  const at = `/study/${run.data.id}`;
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-2">
      <nav aria-label="Views of the study" className="flex gap-5 border-b border-rule">
        {views.map((v) => (
          <NavLink
            key={v.path}
            to={to(v.path ? `${at}/${v.path}` : at)}
            className={`pb-1 ${v.path === view ? "border-b-2 border-harbour font-semibold" : "text-soft"}`}
          >
            {v.says}
            {v.path === "events" && run.data.takes.length > 0 && (
              <span className="num text-[12px]"> {run.data.takes.length}</span>
            )}
          </NavLink>
        ))}
        <span className="ml-auto" />
        <RunFile run={run.data.id} format="wav" label="WAV" />
        <RunFile run={run.data.id} format="csv" label="CSV" />
        <span>
          <Button look="link" className="font-normal!" onClick={() => setWriting(true)}>
            As a file …
          </Button>
        </span>
        {writing && <RunFileDialog run={run.data} bracket={bracketOf(search)} onClose={() => setWriting(false)} />}
      </nav>
      <Suspense fallback={<Empty says="Opening …" />}>
        {view === "events" ? (
          <EventsView key={run.data.id} run={run.data} />
        ) : ofCampaign[view] ? (
          ofCampaign[view](id, run.data)
        ) : view === "computed" ? (
          <ComputedView run={run.data} campaign={id} />
        ) : view === "deflection" && id !== undefined ? (
          <DeflectionView key={run.data.id} run={run.data} campaign={id} />
        ) : view === "machine" ? (
          <MachineView run={run.data} campaign={id} />
        ) : (
          <BenchView key={run.data.id} run={run.data} campaign={id} />
        )}
      </Suspense>
    </div>
  );
}
