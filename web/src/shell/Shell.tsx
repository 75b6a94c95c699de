/** The frame around the five stations: course line, watch bar, log strip, keys. */
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Navigate, Route, Routes, useNavigate } from "react-router";
import { live, useConnected, useStatus } from "../api/live";
import { PlanStation } from "../stations/plan/PlanStation";
import { ReportStation } from "../stations/report/ReportStation";
import { RigStation } from "../stations/rig/RigStation";
import { RunStation } from "../stations/run/RunStation";
import { StudyStation } from "../stations/study/StudyStation";
import { CourseLine, stations } from "./CourseLine";
import { captureName, orders, typing } from "./capture";
import { Finder } from "./Finder";
import { LogStrip } from "./LogStrip";
import { WatchBar } from "./WatchBar";

live.open();

export function Shell() {
  const go = useNavigate();
  const client = useQueryClient();
  const status = useStatus();
  const connected = useConnected();
  const [error, setError] = useState("");
  const [finding, setFinding] = useState(false);
  const state = captureName(status);

  // A run that has ended, begun or changed shows in the log at once.
  // biome-ignore lint/correctness/useExhaustiveDependencies: the state is what is waited for
  useEffect(() => {
    client.invalidateQueries({ queryKey: ["runs"] });
    client.invalidateQueries({ queryKey: ["run"] });
  }, [state, client]);

  const order = async (what: "arm" | "record" | "stop") => {
    setError("");
    try {
      await orders[what]();
      if (what !== "stop") go("/run");
    } catch (e) {
      setError((e as Error).message);
    }
  };

  useEffect(() => {
    const key = (e: KeyboardEvent) => {
      const station = e.altKey ? stations[Number(e.key) - 1] : undefined;
      if (station) {
        e.preventDefault();
        go(station.path);
      } else if (e.shiftKey && e.key === "Escape") {
        e.preventDefault();
        orders.emergencyStop().catch((x: Error) => setError(x.message));
      } else if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "k") {
        e.preventDefault();
        setFinding(true);
      } else if (!typing(e) && !e.ctrlKey && !e.metaKey && !e.altKey && !e.repeat) {
        if (e.key === "a") order("arm");
        if (e.key === "r") order("record");
        if (e.key === "Escape" && (state === "recording" || state === "armed")) order("stop");
      }
    };
    window.addEventListener("keydown", key);
    return () => window.removeEventListener("keydown", key);
  });

  return (
    <div className="grid h-full grid-cols-[96px_1fr] grid-rows-[48px_1fr_56px]">
      <CourseLine />
      <WatchBar onOrder={order} />
      <main className="relative flex min-h-0 min-w-0 flex-col p-3">
        {(error || !connected) && (
          <div
            role="alert"
            className="mb-2 flex items-center gap-3 border-l-4 border-reef bg-sheet px-3 py-1.5 text-reef"
          >
            <span>
              {error ||
                "The server does not answer. A recording goes on there by itself; this page finds back as soon as it answers."}
            </span>
            {error && (
              <button type="button" className="ml-auto underline" onClick={() => setError("")}>
                Close
              </button>
            )}
          </div>
        )}
        <Routes>
          <Route path="/" element={<Navigate to="/rig" replace />} />
          <Route path="/rig/*" element={<RigStation />} />
          <Route path="/plan/*" element={<PlanStation />} />
          <Route path="/run" element={<RunStation />} />
          <Route path="/study/:run?/:view?" element={<StudyStation />} />
          <Route path="/report" element={<ReportStation />} />
          <Route path="*" element={<Navigate to="/rig" replace />} />
        </Routes>
      </main>
      <LogStrip />
      <Finder open={finding} onClose={() => setFinding(false)} onOrder={order} />
    </div>
  );
}
