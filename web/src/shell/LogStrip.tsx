/** The campaign's runs in time: the way to data. */
import { Link, useLocation } from "react-router";
import type { RunBody } from "../api/client";
import { useRuns } from "../api/queries";
import { overOf, toggled } from "../stations/study/laid";
import { span } from "../ui/format";
import { useGo, useTo } from "./address";
import { useCampaign } from "./useCampaign";

const time = (t: number) => new Date(t).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });

/** Places runs to scale, but never over one another, never past now and never too small to hit. */
function placed(runs: RunBody[], from: number, to: number, now: number) {
  let next = now;
  const boxes = [...runs].reverse().map((run) => {
    const width = Math.max(((run.duration_s * 1000) / (to - from)) * 100, 3.2);
    const left = Math.min(((Date.parse(run.started_at) - from) / (to - from)) * 100, next - width - 0.4);
    next = left;
    return { run, left, width };
  });
  // Too many for their time: everything moves together.
  const first = boxes.at(-1)?.left ?? 0;
  const by = first < 0 ? now / (now - first) : 1;
  return boxes.reverse().map((b) => ({ ...b, left: first < 0 ? (b.left - first) * by : b.left, width: b.width * by }));
}

export function LogStrip() {
  const { id } = useCampaign();
  const known = useRuns(id).data;
  const all = known ?? [];
  const go = useGo();
  const address = useTo();
  const { pathname, search } = useLocation();
  const shown = Number(pathname.match(/\/study\/(\d+)/)?.[1]);
  const params = new URLSearchParams(search);
  const over = Number.isFinite(shown) ? overOf(params) : [];
  const runs = all.slice(-24);
  const now = Date.now();
  const first = runs[0] ? Date.parse(runs[0].started_at) : now - 3600_000;
  const from = Math.min(first, now - 600_000);
  const to = now + (now - from) * 0.06;
  const nowAt = Math.min(((now - from) / (to - from)) * 100, 99);
  const boxes = placed(runs, from, to, nowAt);
  return (
    <footer className="col-span-2 flex border-t border-rule">
      <div className="w-28 shrink-0 px-4 pt-2 text-[12px] text-soft">
        Log, {new Date(now).toLocaleDateString("en-GB", { day: "numeric", month: "short" })}
        <Link
          to={address("/runs")}
          className="block text-harbour hover:underline"
          aria-current={pathname === address("/runs")}
        >
          {all.length === 1 ? "1 run" : `${all.length} runs`}
        </Link>
      </div>
      <div className="relative mr-4 flex-1">
        <div className="absolute right-0 bottom-4 left-0 border-b border-rule" />
        <span className="num absolute bottom-0 left-0 text-[11px] text-soft">{time(from)}</span>
        <span className="num absolute bottom-0 text-[11px] text-soft" style={{ left: `${nowAt}%` }}>
          now
        </span>
        <div
          aria-hidden
          className="absolute top-2 bottom-4 border-l border-dotted border-buoy"
          style={{ left: `${nowAt}%` }}
        />
        {known?.length === 0 && (
          <span className="absolute top-3 left-2 text-[13px] text-soft">No run yet: Record makes the first.</span>
        )}
        {boxes.map(({ run, left, width }) => {
          const bad = run.state === "broken";
          const going = run.state === "recording";
          const here = run.id === shown;
          const laid = over.includes(run.id);
          const open = (e: { shiftKey: boolean }) =>
            e.shiftKey && Number.isFinite(shown) && !here
              ? go(`/study/${shown}?${toggled(params, run.id)}`)
              : go(`/study/${run.id}`);
          return (
            <button
              type="button"
              key={run.id}
              title={`Run ${run.number} ${run.kind}, ${going ? "recording" : span(run.duration_s)}${run.ended_because ? `: ${run.ended_because}` : ""}. Shift and a click lay it over the run that is open.`}
              aria-label={`Open run ${run.number} ${run.kind}`}
              aria-current={here}
              className={`num absolute bottom-5 h-5 min-w-6 overflow-hidden border px-1 text-left text-[12px] leading-[18px] ${here ? "border-2 border-harbour bg-shoal" : "border-ink bg-sheet"} ${laid ? "border-mark! text-mark" : ""} ${going ? "border-buoy! text-buoy" : ""}`}
              style={{ left: `${left}%`, width: `${width}%` }}
              onClick={open}
            >
              {run.number}
              {bad && <span className="float-right text-reef">▣</span>}
              {going && " ●"}
            </button>
          );
        })}
      </div>
    </footer>
  );
}
