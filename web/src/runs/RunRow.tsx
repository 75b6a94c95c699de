/** A run of the list; what it is called, its tags and its remark are typed in place. */
import { Link } from "react-router";
import { useTo } from "../shell/address";
import { bytes, moment, rate, span } from "../ui/format";
import { TypedWord } from "../ui/Word";
import { type ListedRun, tagsOf } from "./list";
import type { useRunActs } from "./useRunActs";

type Props = {
  run: ListedRun;
  chosen: boolean;
  onChoose: (chosen: boolean) => void;
  acts: ReturnType<typeof useRunActs>;
};

const or = (n: number) => n || <span className="text-soft">–</span>;

export function RunRow({ run, chosen, onChoose, acts }: Props) {
  const to = useTo();
  const now = { kind: run.kind, remark: run.remark, tags: run.tags };
  const name = `Run ${run.number}`;
  return (
    <tr className={`border-t border-rule ${chosen ? "bg-shoal" : "hover:bg-shoal/50"}`} data-run={run.number}>
      <td className="py-1.5 pl-3">
        <input
          type="checkbox"
          aria-label={`Choose run ${run.number}`}
          checked={chosen}
          onChange={(e) => onChoose(e.target.checked)}
        />
      </td>
      <td className="num px-2 text-right">
        <Link
          to={to(`/study/${run.id}`)}
          aria-label={`Open run ${run.number}`}
          className="font-semibold text-harbour hover:underline"
          title={run.ended_because ?? ""}
        >
          {run.number}
        </Link>
        {run.state === "broken" && <span className="text-reef"> ▣</span>}
        {run.state === "recording" && <span className="text-buoy"> ●</span>}
      </td>
      <td className="px-2">
        <TypedWord
          label={`${name}, what it is`}
          value={run.kind}
          plain
          quiet
          width="19ch"
          onSet={(kind) => acts.describe(run.id, { ...now, kind })}
        />
      </td>
      <td className="num px-2 whitespace-nowrap">{moment(run.started_at)}</td>
      <td className="num px-2 text-right whitespace-nowrap">{span(run.duration_s)}</td>
      <td className="num px-2 text-right whitespace-nowrap">{rate(run.sample_rate_hz)}</td>
      <td className="num px-2 text-right">{run.channels}</td>
      <td className="px-2 whitespace-nowrap">
        {run.who}
        {run.brought && (
          <span className="block text-[12px] text-soft" title={`SHA-256 ${run.brought.sha256}`}>
            brought in from {run.brought.file}
          </span>
        )}
      </td>
      <td className="num px-2 text-right">{or(run.takes)}</td>
      <td className="num px-2 text-right">{or(run.marks)}</td>
      <td className="num px-2 text-right whitespace-nowrap">{bytes(run.bytes)}</td>
      <td className="px-2">
        <TypedWord
          label={`${name}, tags`}
          value={run.tags.join(", ")}
          plain
          quiet
          width="14ch"
          onSet={(text) => acts.describe(run.id, { ...now, tags: tagsOf(text) })}
        />
      </td>
      <td className="w-full px-2">
        <TypedWord
          label={`${name}, remark`}
          value={run.remark}
          plain
          quiet
          width="100%"
          onSet={(remark) => acts.describe(run.id, { ...now, remark })}
        />
      </td>
    </tr>
  );
}
