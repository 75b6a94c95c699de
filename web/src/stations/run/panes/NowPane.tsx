/** The state in words that can be read from three metres; recorders one by one; marks; the last runs. */
import { useState } from "react";
import type { Schema } from "../../../api/client";
import { useStatus } from "../../../api/live";
import { usePlan, useRuns } from "../../../api/queries";
import { captureName, ordersNow, sessionOf, stateLook } from "../../../shell/capture";
import { useCampaign } from "../../../shell/useCampaign";
import { Button } from "../../../ui/Button";
import { clock, rate, span, whole, withUnit } from "../../../ui/format";
import { Rounds } from "./RoundsNow";

export function NowPane() {
  const status = useStatus();
  const { id } = useCampaign();
  const body = usePlan(id).data;
  const state = captureName(status);
  const look = stateLook[state];
  const s = sessionOf(status);
  const ended = status?.ended;
  const going = state === "recording" || state === "writing";
  const share = s?.planned && going ? Math.min(s.samples / s.planned, 1) : undefined;
  const waits = s?.own_store
    ? ""
    : status?.link.link !== "connected"
      ? "No front end is connected. Nothing can be recorded until it answers."
      : !status.store
        ? "The database is away. Recording cannot start, nothing would be kept."
        : "";
  return (
    <div data-now className="flex min-h-0 flex-1 flex-col gap-2 overflow-auto px-3 pb-3">
      <p role="status" className={`text-[28px] leading-9 font-semibold ${look.colour}`}>
        {look.shape} {look.word}
      </p>
      {s && going && <p className="num text-[32px] leading-9">{clock(s.samples / s.sample_rate_hz)}</p>}
      {share !== undefined && (
        <span
          className="block h-2 shrink-0 bg-trough"
          role="progressbar"
          aria-label="Share of the take"
          aria-valuenow={Math.round(share * 100)}
        >
          <span className="block h-full bg-buoy" style={{ width: `${share * 100}%` }} />
        </span>
      )}
      {s && (s.takes_planned !== 1 || state === "armed") && (
        <p>
          <b className="num">{s.takes}</b>
          {s.takes_planned ? ` of ${s.takes_planned}` : ""} {s.takes === 1 ? "take" : "takes"}
          {state === "armed" && `, waits until ${s.waits_for}`}
          {s.last_trigger && s.last_trigger !== "Record" && (
            <span className="block text-[13px] text-soft">last: {s.last_trigger}</span>
          )}
        </p>
      )}
      {s && s.pre_s > 0 && state === "armed" && (
        <p className="text-[13px] text-soft">
          {s.pre_filled_s >= s.pre_s
            ? `keeps the last ${span(s.pre_s)}`
            : `filling: ${s.pre_filled_s.toFixed(1)} of ${span(s.pre_s)} before the trigger`}
        </p>
      )}
      {s && (
        <p className="text-[13px] text-soft">
          run {s.number} · {s.channels} channels ·{" "}
          {s.lost_blocks === 0 ? "no block lost" : <b className="text-reef">{s.lost_blocks} blocks lost</b>}
        </p>
      )}
      {!s &&
        !waits &&
        body?.sums.says.map((t) => (
          <p key={t} className="text-[13px] text-soft">
            {t}
          </p>
        ))}
      {!s && body?.unfit && <p className="text-[13px] text-lamp">▲ {body.unfit}</p>}
      {s?.own_store && <OwnStore own={s.own_store} />}
      {waits && (
        <p role="alert" className="text-reef">
          {waits}
        </p>
      )}
      {(body?.plan.recorders?.length ?? 0) > 1 && <Recorders />}
      {s && state !== "writing" && <MarkLine />}
      {!s && ended && (
        <p role="status" className={`border-l-4 px-2 ${ended.whole ? "border-lee" : "border-reef text-reef"}`}>
          Run {ended.number} ended: {ended.because}.{" "}
          {ended.lost_blocks === 0 ? "No block was lost." : `${ended.lost_blocks} blocks were lost.`}
          {!ended.whole && " What came until then is kept."}
        </p>
      )}
      {body?.plan.rounds && <Rounds />}
      <LastRuns />
    </div>
  );
}

/** What the front end keeps itself while the link is away, and how far it is moved over. */
function OwnStore({ own }: { own: Schema["OwnStore"] }) {
  const share = own.of ? own.moved / own.of : undefined;
  return (
    <div className="border-l-4 border-lamp px-2">
      <p className="text-lamp">▲ {own.says}</p>
      {share !== undefined && (
        <>
          <span
            className="my-1 block h-2 bg-trough"
            role="progressbar"
            aria-label="Share moved over"
            aria-valuenow={Math.round(share * 100)}
          >
            <span className="block h-full bg-lamp" style={{ width: `${Math.min(share, 1) * 100}%` }} />
          </span>
          <span className="num text-[13px]">
            {whole(own.moved)} of {whole(own.of ?? 0)} blocks, {withUnit(own.moved_s, "s", 3)}
          </span>
        </>
      )}
    </div>
  );
}

/** Each recorder with its own start and stop. */
function Recorders() {
  const status = useStatus();
  const { id } = useCampaign();
  const plan = usePlan(id).data;
  const [error, setError] = useState("");
  const s = sessionOf(status);
  const order = (name: string, go: boolean) => {
    setError("");
    ordersNow.recorder(name, go).catch((e: Error) => setError(e.message));
  };
  return (
    <div>
      {plan?.sums.recorders.map((r) => {
        const now = s?.recorders.find((x) => x.name === r.name);
        return (
          <div key={r.name} className="flex items-center gap-2 border-t border-rule py-0.5 text-[13px]">
            <b className="w-8">{r.name}</b>
            <span className="text-soft">
              {r.channels} ch × {rate(r.sample_rate_hz)}
            </span>
            <span className={`num ml-auto ${now?.going ? "text-buoy" : ""}`}>
              {now ? `${now.going ? "● " : ""}${whole(now.samples)}` : ""}
            </span>
            <Button
              look="link"
              aria-label={`Start recorder ${r.name}`}
              disabled={now?.going === true}
              onClick={() => order(r.name, true)}
            >
              Start
            </Button>
            <Button
              look="link"
              aria-label={`Stop recorder ${r.name}`}
              disabled={!now?.going}
              onClick={() => order(r.name, false)}
            >
              Stop
            </Button>
          </div>
        );
      })}
      {error && (
        <p role="alert" className="text-[13px] text-reef">
          {error}
        </p>
      )}
    </div>
  );
}

/** A word set into every run at the moment it is entered. */
function MarkLine() {
  const [text, setText] = useState("");
  const [says, setSays] = useState("");
  return (
    <form
      className="flex items-center gap-2 text-[13px]"
      onSubmit={(e) => {
        e.preventDefault();
        ordersNow
          .mark(text)
          .then(() => {
            setSays(`“${text}” is marked`);
            setText("");
          })
          .catch((e: Error) => setSays(e.message));
      }}
    >
      <label className="flex flex-1 items-center gap-2">
        Mark
        <input className="word min-w-0 flex-1 font-sans!" value={text} onChange={(e) => setText(e.target.value)} />
      </label>
      <Button look="link" type="submit">
        Set
      </Button>
      <span className="text-soft">{says}</span>
    </form>
  );
}

/** The last runs with how they ended. */
function LastRuns() {
  const { id } = useCampaign();
  const runs = [...(useRuns(id).data ?? [])].reverse().slice(0, 8);
  return (
    <table className="w-full text-[13px]" aria-label="Last runs">
      <tbody>
        {runs.map((r) => (
          <tr key={r.id} className="border-t border-rule">
            <td className="num py-0.5">{r.number}</td>
            <td className="max-w-24 truncate">{r.kind}</td>
            <td className="num text-right">{r.state === "recording" ? "" : span(r.duration_s)}</td>
            <td
              className={`pl-3 ${r.state === "broken" ? "text-reef" : r.state === "recording" ? "text-buoy" : ""}`}
              title={r.ended_because ?? ""}
            >
              {r.state === "whole" ? "kept" : r.state === "broken" ? "▣ ended early" : "● recording"}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
