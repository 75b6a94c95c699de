/** The rail with the five stations and how ready each is. */
import { Link, NavLink, useLocation } from "react-router";
import type { Schema } from "../api/client";
import { useStatusOf } from "../api/live";
import { useDoneByItself, usePlan, useRig, useRuns } from "../api/queries";
import { rate, span } from "../ui/format";
import { useTo } from "./address";
import { progressOf } from "./capture";
import { useCampaign, useMeasured } from "./useCampaign";

export const stations = [
  { path: "/rig", name: "Rig" },
  { path: "/plan", name: "Plan" },
  { path: "/run", name: "Run" },
  { path: "/study", name: "Study" },
  { path: "/report", name: "Report" },
];

type Ready = { says: string; good: boolean; cautions?: number; undone?: number };

/** How much of what was to be done by itself could not be, after what ended last. */
export function undone(done: Pick<Schema["DeedBody"], "ending" | "number" | "state">[]): number {
  const last = done[0];
  return done.filter((d) => d.ending === last?.ending && d.number === last.number && d.state === "refused").length;
}

function useReadiness(): Ready[] {
  const { id } = useCampaign();
  const rig = useRig(id).data;
  const plan = usePlan(id).data;
  const known = useRuns(id).data;
  const runs = known ?? [];
  const done = useDoneByItself(id).data ?? [];
  const own = useMeasured() === id;
  const number = useStatusOf((s) => progressOf(s)?.number);
  const going = own ? number : undefined;
  const on = rig?.rig.channels.filter((c) => c.on).length ?? 0;
  const cautions = (station: "rig" | "plan") =>
    rig?.cautions.filter((c) => !c.waived && c.station === station).length ?? 0;
  const length = plan?.plan.length;
  const kept = runs.filter((r) => r.samples > 0);
  return [
    { says: rig ? `${on} channels` : "", good: on > 0 && cautions("rig") === 0, cautions: cautions("rig") },
    {
      says: plan
        ? `${rate(plan.plan.sample_rate_hz)}, ${length?.ends === "after" ? span(length.duration_s) : "open end"}`
        : "",
      good: plan !== undefined && cautions("plan") === 0,
      cautions: cautions("plan"),
      undone: undone(done),
    },
    {
      says: going !== undefined ? `run ${going}` : known ? `${runs.length} ${runs.length === 1 ? "run" : "runs"}` : "",
      good: runs.length > 0,
    },
    { says: "", good: kept.length > 0 },
    { says: "", good: kept.length > 0 },
  ];
}

export function CourseLine() {
  const ready = useReadiness();
  const { pathname } = useLocation();
  const to = useTo();
  return (
    <nav aria-label="Stations" className="row-span-2 flex flex-col border-r border-rule pt-2">
      <Link to="/campaigns" title="All campaigns" className="px-3 leading-4 font-bold">
        <span className="text-harbour">Fleet</span>
        <br />
        Echo<span className="sr-only">, all campaigns</span>
      </Link>
      <ol className="relative mt-4 flex flex-1 flex-col">
        {stations.map((s, i) => {
          const r = ready[i];
          const here = `${pathname}/`.startsWith(`${to(s.path)}/`);
          const fill = here ? "var(--harbour)" : r?.good ? "var(--ink)" : "var(--paper)";
          return (
            <li key={s.path} className="relative h-[94px] shrink">
              {i < stations.length - 1 && (
                <span
                  aria-hidden
                  className={`absolute top-5 left-[22px] h-[calc(100%-10px)] border-l-2 ${r?.good ? "border-ink" : "border-dotted border-soft"}`}
                />
              )}
              <NavLink to={to(s.path)} aria-keyshortcuts={`Alt+${i + 1}`} className="relative flex gap-2 px-3 text-ink">
                <svg width="22" height="22" viewBox="0 0 22 22" aria-hidden className="shrink-0">
                  {here && <circle cx="11" cy="11" r="11" fill="var(--shoal)" />}
                  <circle
                    cx="11"
                    cy="11"
                    r="6"
                    fill={fill}
                    stroke={here ? "var(--harbour)" : "var(--ink)"}
                    strokeWidth="2"
                  />
                </svg>
                <span className="pt-px leading-4">
                  <span className={`font-semibold ${here ? "text-harbour" : ""}`}>{s.name}</span>
                  {(r?.cautions ?? 0) > 0 && (
                    <span className="block text-[12px] text-lamp">
                      ▲ {r?.cautions}
                      <br />
                      caution{r?.cautions === 1 ? "" : "s"}
                    </span>
                  )}
                  {(r?.undone ?? 0) > 0 && <span className="block text-[12px] text-lamp">▲ {r?.undone} not done</span>}
                  {r?.says && <span className="block text-[12px] text-soft">{r.says}</span>}
                </span>
              </NavLink>
            </li>
          );
        })}
      </ol>
      <Link to="/help" aria-keyshortcuts="F1" className="px-3 pb-2 text-[13px] text-ink hover:text-harbour">
        Help <kbd aria-hidden>F1</kbd>
      </Link>
    </nav>
  );
}
