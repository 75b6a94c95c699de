/** A first run, step by step: what is done is ticked off by what is there, the next step leads where it is done. One
 * line, put away for good by a word, and brought back from the help page. */
import { Link } from "react-router";
import { useStatusOf } from "../api/live";
import { useRig, useRuns } from "../api/queries";
import { Button } from "../ui/Button";
import { useTo } from "./address";
import { firstNotes, firstWish, wishFirstRun } from "./firstNotes";
import { stepsOf } from "./firstSteps";
import { useCampaign } from "./useCampaign";

export function FirstRun() {
  const { id, campaign } = useCampaign();
  const to = useTo();
  const wish = firstWish.use();
  const notes = firstNotes.use();
  const connected = useStatusOf((s) => s?.link.link === "connected");
  const on = useRig(id).data?.rig.channels.filter((c) => c.on).length;
  const runs = useRuns(id).data?.filter((r) => r.samples > 0);
  if (wish === "off" || !campaign || (campaign.demo && wish !== "on") || on === undefined || !runs) return null;
  const steps = stepsOf({
    connected: connected === true,
    on,
    runs: runs.length,
    run: runs[runs.length - 1]?.id,
    spectrum: notes.includes(`${id} spectrum`),
    report: notes.includes(`${id} report`),
  });
  const next = steps.findIndex((s) => !s.done);
  // Who has got as far as a run of their own knows the way.
  if (next < 0 && wish !== "on") return null;
  return (
    <nav
      aria-label="First run"
      className="mb-2 flex items-center gap-4 border-l-4 border-harbour bg-sheet px-3 py-1 text-[13px]"
    >
      <b>First run</b>
      <ol className="flex min-w-0 flex-1 flex-wrap gap-x-4">
        {steps.map((s, i) => (
          <li key={s.says} className={s.done ? "text-soft" : i === next ? "font-semibold" : ""}>
            <Link to={to(s.to)} className="hover:text-harbour hover:underline">
              <span className="num">{s.done ? "✓" : i + 1}</span> {s.says}
              {s.done && <span className="sr-only">, done</span>}
            </Link>
          </li>
        ))}
      </ol>
      <Link to="/help" className="text-harbour hover:underline">
        Help
      </Link>
      <Button look="link" onClick={() => wishFirstRun(false)}>
        {next < 0 ? "Done" : "Skip"}
      </Button>
    </nav>
  );
}
