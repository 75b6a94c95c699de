/** What changed on the server is asked for again, where it is shown: pages do not ask all the time. */
import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { live } from "./live";

/** Subjects of queries that a table of the database is behind. */
const behind: Record<string, string[]> = {
  alarm: ["watch", "pages"],
  change: ["changes"],
  bench: ["kept-benches"],
  calibration: ["run", "kept-results", "pages"],
  campaign: ["campaigns", "shelf", "plan", "report", "machine", "math", "rig", "specimen"],
  correction: ["run", "kept-results", "pages"],
  deed: ["done-by-itself"],
  house: ["letterhead", "pages"],
  job: ["job", "done-by-itself"],
  job_part: ["job", "done-by-itself"],
  kept_rig: ["versions"],
  mark: ["run", "pages"],
  note: ["run", "pages"],
  person: ["people", "me"],
  recipe: ["recipes"],
  result: ["kept-results"],
  rig_version: ["rig", "versions"],
  round: ["rounds", "pages"],
  run: ["runs", "run", "campaigns", "shelf", "kept-results"],
  schedule: ["rounds"],
  self_test: ["self-tests", "pages"],
  sensor: ["sensors", "rig"],
  specimen_file: ["specimen-files", "pages"],
  token: ["tokens"],
  take: ["run"],
  tap_series: ["taps", "functions"],
  tap_hit: ["taps", "pages"],
  response_function: ["functions", "taps", "modes"],
  waiver: ["rig", "pages"],
};

const all = [...new Set(Object.values(behind).flat())];

export const subjectsOf = (tables: string[]) =>
  tables.includes("*") ? all : [...new Set(tables.flatMap((t) => behind[t] ?? []))];

export function useNews() {
  const client = useQueryClient();
  useEffect(() => {
    const stop = live.onNews((tables) => {
      // What is asked for the first time just now comes anyway.
      for (const subject of subjectsOf(tables))
        client.invalidateQueries({
          queryKey: [subject],
          predicate: (q) => q.state.fetchStatus !== "fetching" || q.state.dataUpdatedAt > 0,
        });
    });
    return () => void stop();
  }, [client]);
}
