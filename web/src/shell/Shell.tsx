/** The frame around the five stations of a campaign: course line, watch bar, log strip, keys. */

import { type ReactNode, Suspense, useEffect, useState } from "react";
import { Navigate, Route, Routes, useLocation, useNavigate } from "react-router";
import { showing } from "../api/client";
import { live, useConnected, useRefusedWish, useStatusOf } from "../api/live";
import { useNews } from "../api/news";
import { useMay } from "../people/me";
import { Guarded } from "../ui/Guarded";
import { Empty } from "../ui/Panel";
import { Undos } from "../ui/undo";
import { stationOf, useGo, useTo } from "./address";
import { CourseLine, stations } from "./CourseLine";
import { captureName, type Order, orders } from "./capture";
import { Elsewhere } from "./Elsewhere";
import { Finder } from "./Finder";
import { FirstRun } from "./FirstRun";
import { KeyList } from "./KeyList";
import { useKeys } from "./keys";
import { LogStrip } from "./LogStrip";
import { later } from "./later";
import { useCampaign, useMeasured } from "./useCampaign";
import { WatchBar } from "./WatchBar";

// Each station is loaded when it is first opened; the others follow while the page rests.
const load = {
  rig: () => import("../stations/rig/RigStation"),
  plan: () => import("../stations/plan/PlanStation"),
  run: () => import("../stations/run/RunStation"),
  study: () => import("../stations/study/StudyStation"),
  report: () => import("../stations/report/ReportStation"),
  runs: () => import("../runs/Runs"),
  changes: () => import("../people/Changes"),
};
const RigStation = later(load.rig, "RigStation");
const PlanStation = later(load.plan, "PlanStation");
const RunStation = later(load.run, "RunStation");
const StudyStation = later(load.study, "StudyStation");
const ReportStation = later(load.report, "ReportStation");
const Runs = later(load.runs, "Runs");
const Changes = later(load.changes, "Changes");
window.setTimeout(() => Object.values(load).map((f) => f().catch(() => undefined)), 3000);

const guarded = (name: string, station: ReactNode) => (
  <Guarded key={name} what={`The station ${name}`}>
    <Suspense fallback={<Empty says="Opening …" />}>{station}</Suspense>
  </Guarded>
);

export function Shell() {
  const go = useGo();
  const navigate = useNavigate();
  const station = stationOf(useLocation().pathname);
  const to = useTo();
  const connected = useConnected();
  const { id, missing } = useCampaign();
  const measured = useMeasured();
  const [error, setError] = useState("");
  const [finding, setFinding] = useState(false);
  const [keys, setKeys] = useState(false);
  const state = useStatusOf(captureName);
  const wish = useRefusedWish();
  // What is asked for and what is drawn live belongs to the campaign on the screen, from the first request on.
  showing(id);
  useEffect(() => live.shows(id), [id]);

  useNews();

  const order = async (what: Order) => {
    setError("");
    try {
      await orders[what]();
      if (what !== "stop") go("/run");
    } catch (e) {
      setError((e as Error).message);
    }
  };
  const measures = useMay("measure");
  const own = measured === id && measures;
  const stoppable = state === "recording" || state === "armed";

  useKeys("Everywhere", [
    ...stations.map((s, i) => ({
      key: `Alt+${i + 1}`,
      says: `Go to ${s.name}`,
      anywhere: true,
      run: () => go(s.path),
    })),
    { key: "Control+k", says: "Find a station, run, result or channel", anywhere: true, run: () => setFinding(true) },
    { key: "Shift+?", says: "This list of keys", run: () => setKeys(true) },
    { key: "F1", says: "Help", anywhere: true, run: () => navigate("/help") },
    ...(own && state === "idle" ? [{ key: "a", says: "Arm", run: () => order("arm") }] : []),
    ...(own && (state === "idle" || state === "armed")
      ? [{ key: "r", says: "Record", run: () => order("record") }]
      : []),
    ...(stoppable ? [{ key: "Shift+S", says: "Stop recording, or disarm", run: () => order("stop") }] : []),
    {
      key: "Shift+Escape",
      says: "Emergency stop of all outputs",
      anywhere: true,
      run: () => {
        orders.emergencyStop().catch((x: Error) => setError(x.message));
      },
    },
  ]);

  return (
    <div className="grid h-full grid-cols-[96px_1fr] grid-rows-[48px_1fr_56px]">
      <CourseLine />
      <WatchBar onOrder={order} onError={setError} />
      <main className="relative flex min-h-0 min-w-0 flex-col p-3">
        {station !== "report" && (
          <h1 className="sr-only">
            {stations.find((s) => s.path === `/${station}`)?.name ?? (station === "changes" ? "Changes" : "Runs")}
          </h1>
        )}
        {(error || wish || !connected) && (
          <div
            role="alert"
            className="mb-2 flex items-center gap-3 border-l-4 border-reef bg-sheet px-3 py-1.5 text-reef"
          >
            <span>
              {error ||
                (connected && `Not all panels are drawn: ${wish}.`) ||
                "The server does not answer. A recording goes on there by itself; this page reconnects as soon as it answers."}
            </span>
            {error && (
              <button type="button" className="ml-auto underline" onClick={() => setError("")}>
                Close
              </button>
            )}
          </div>
        )}
        {missing ? (
          <Empty says="There is no campaign of this address. Choose one in the bar above." />
        ) : (
          <>
            <Elsewhere onError={setError} />
            <FirstRun />
            <Routes>
              <Route path="rig/*" element={guarded("Rig", <RigStation />)} />
              <Route path="plan/*" element={guarded("Plan", <PlanStation />)} />
              <Route path="run/:view?" element={guarded("Run", <RunStation />)} />
              <Route path="study/:run?/:view?" element={guarded("Study", <StudyStation />)} />
              <Route path="report" element={guarded("Report", <ReportStation />)} />
              <Route path="runs" element={guarded("Runs", <Runs />)} />
              <Route path="changes" element={guarded("Changes", <Changes />)} />
              <Route path="*" element={<Navigate to={to("/rig")} replace />} />
            </Routes>
          </>
        )}
      </main>
      <LogStrip />
      <Finder open={finding} onClose={() => setFinding(false)} onOrder={order} />
      <Undos />
      <KeyList open={keys} onClose={() => setKeys(false)} />
    </div>
  );
}
