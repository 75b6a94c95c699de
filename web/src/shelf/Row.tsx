/** A campaign on the shelf: when, what, how far, how much, who, and what can be done with it. */
import { useState } from "react";
import { Link } from "react-router";
import { api, told } from "../api/client";
import { JobFile } from "../jobs/JobFile";
import { within } from "../shell/address";
import { Button } from "../ui/Button";
import { bytes } from "../ui/format";
import { Wrong } from "../ui/Panel";
import { offerUndo } from "../ui/undo";
import { TypedWord } from "../ui/Word";
import { stationsOf, worked } from "./rows";
import { type Shelved, useShelfActs } from "./useShelf";

const STATIONS = ["Rig", "Plan", "Run", "Study", "Report"];

/** Five marks on a line: full where something stands, a triangle with a number where cautions are open. */
function Stations({ c }: { c: Shelved }) {
  const there = stationsOf(c);
  const cautions = [c.rig_cautions, c.plan_cautions, 0, 0, 0];
  const of = (i: number) => (cautions[i] ? ` ${cautions[i]} cautions` : there[i] ? "" : " empty");
  const says = STATIONS.map((s, i) => `${s}${of(i)}`).join(", ");
  return (
    <svg width="208" height="22" viewBox="0 -6 208 22" role="img" aria-label={says}>
      {there.map((is, i) => (
        <g key={STATIONS[i]}>
          {i < 4 && (
            <path
              d={`M${26 + i * 43} 8h27`}
              stroke="var(--ink)"
              strokeWidth="2"
              strokeDasharray={there[i + 1] ? undefined : "2 3"}
            />
          )}
          {cautions[i] ? (
            <>
              <path d={`M${18 + i * 43} 1l7.5 13h-15z`} fill="var(--lamp)" />
              <text x={27 + i * 43} y="1" fontSize="11" fontWeight="600" fill="var(--lamp)">
                {cautions[i]}
              </text>
            </>
          ) : (
            <circle
              cx={18 + i * 43}
              cy="8"
              r="5.5"
              fill={is ? "var(--ink)" : "var(--paper)"}
              stroke={is ? "var(--ink)" : "var(--ink-soft)"}
              strokeWidth="1.5"
            />
          )}
        </g>
      ))}
    </svg>
  );
}

export function Row({ c, onCopy }: { c: Shelved; onCopy: (c: Shelved) => void }) {
  const [open, setOpen] = useState(false);
  const [when, time] = worked(c.worked_at);
  return (
    <>
      <tr className={`border-t border-rule ${open ? "bg-shoal" : "hover:bg-shoal/50"}`}>
        <td className="w-28 border-r border-rule py-2 pr-3 text-right leading-4">
          {when}
          <br />
          <span className="num text-soft">{time}</span>
        </td>
        <td className="w-26 pl-3">
          {c.drawing && (
            <svg viewBox="-3 -3 106 76" className="h-11 w-22" role="img" aria-label={`Drawing of ${c.specimen}`}>
              <path d={c.drawing} fill="none" stroke="var(--ink)" strokeWidth="1.6" strokeLinejoin="round" />
            </svg>
          )}
        </td>
        <td className="px-4 py-2 leading-4">
          <Link to={within(c.id, "/rig")} className="text-[15px] font-semibold hover:text-harbour">
            {c.name}
          </Link>
          <br />
          <span className="text-soft">
            {[c.specimen, c.channels ? `${c.channels} channels` : "no channel yet"].filter(Boolean).join(", ")}
            {c.demo && " · demo"}
            {c.measured && <b className="text-harbour"> · measuring</b>}
          </span>
        </td>
        <td>
          <Stations c={c} />
        </td>
        <td className="num text-right">{c.runs || <span className="text-soft">none</span>}</td>
        <td className="num pr-6 text-right">{c.bytes ? bytes(c.bytes) : <span className="text-soft">none</span>}</td>
        <td>{c.people.slice(0, 3).join(", ")}</td>
        <td className="text-right">
          <Button
            look="link"
            aria-expanded={open}
            aria-label={`What can be done with ${c.name}`}
            onClick={() => setOpen(!open)}
          >
            …
          </Button>
        </td>
      </tr>
      {open && (
        <tr className="bg-shoal">
          <td className="border-r border-rule" />
          <td colSpan={7} className="px-4 pb-3">
            <Acts c={c} onCopy={onCopy} />
          </td>
        </tr>
      )}
    </>
  );
}

function Acts({ c, onCopy }: { c: Shelved; onCopy: (c: Shelved) => void }) {
  const acts = useShelfActs();
  const [error, setError] = useState<Error>();
  const [typed, setTyped] = useState<string>();
  const tried = (act: Promise<unknown>) => {
    setError(undefined);
    return act.then(
      () => true,
      (e: Error) => {
        setError(e);
        return false;
      },
    );
  };
  const naming = { name: c.name, specimen: c.specimen, purpose: c.purpose };
  const remove = async () => {
    if (await tried(acts.remove(c.id)))
      offerUndo(
        `${c.name} deleted`,
        () => acts.restore(c.id),
        () => acts.remove(c.id),
      );
  };
  return (
    <div className="text-[14px] leading-8">
      Called <TypedWord label="Name" value={c.name} plain onSet={(name) => acts.rename(c.id, { ...naming, name })} />,
      on{" "}
      <TypedWord
        label="Specimen"
        value={c.specimen}
        plain
        onSet={(specimen) => acts.rename(c.id, { ...naming, specimen })}
      />
      , for{" "}
      <TypedWord
        label="Purpose"
        value={c.purpose}
        plain
        width="36ch"
        onSet={(purpose) => acts.rename(c.id, { ...naming, purpose })}
      />
      .
      <span className="flex items-center gap-5">
        <JobFile
          label="Hand over as a file"
          begin={() => told(api.POST("/api/campaigns/{id}/jobs/hand-over", { params: { path: { id: c.id } } }))}
        />
        <Button look="link" onClick={() => onCopy(c)}>
          Copy without runs
        </Button>
        <Button look="link" onClick={() => tried(acts.archive(c.id, !c.archived_at))}>
          {c.archived_at ? "Take out of the archive" : "Archive"}
        </Button>
        {typed === undefined ? (
          <Button look="link" className="text-reef!" onClick={() => setTyped("")}>
            Delete …
          </Button>
        ) : (
          <form
            className="flex items-center gap-3"
            onSubmit={(e) => {
              e.preventDefault();
              if (typed.trim() === c.name) remove();
              else setError(new Error(`Type its whole name, “${c.name}”, to delete it with all its runs.`));
            }}
          >
            <label>
              Delete it with {c.runs} runs, {bytes(c.bytes)}? Its name:{" "}
              <input
                aria-label="Name of what is deleted"
                className="word w-72 font-sans!"
                value={typed}
                onChange={(e) => setTyped(e.target.value)}
              />
            </label>
            <Button look="hot" type="submit">
              Delete
            </Button>
            <Button look="link" onClick={() => setTyped(undefined)}>
              Keep it
            </Button>
          </form>
        )}
      </span>
      <Wrong error={error} />
    </div>
  );
}
