/** One file on its way: how far it is sent, what is in it, how it is to be read, and what became of it. */
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import { api, told } from "../api/client";
import { useJob } from "../jobs/job";
import { useTo } from "../shell/address";
import { Button } from "../ui/Button";
import { bytes, rate, span } from "../ui/format";
import { Wrong } from "../ui/Panel";
import { ShareBar } from "../ui/ShareBar";
import { LookWords } from "./LookWords";
import { AS_IT_SAYS, type Reading } from "./reading";
import { type Sending, type Sent, send } from "./send";

type Props = { campaign: number; file: File; onGone: () => void };

export function FileCard({ campaign, file, onGone }: Props) {
  const [share, setShare] = useState(0);
  const [sent, setSent] = useState<Sent>();
  const [reading, setReading] = useState<Reading>(AS_IT_SAYS);
  const [job, setJob] = useState<number>();
  const [error, setError] = useState<Error>();
  const sending = useRef<Sending>(undefined);
  const to = useTo();
  useEffect(() => {
    const s = send(file, setShare);
    sending.current = s;
    s.done.then(setSent, setError);
    return () => s.stop();
  }, [file]);
  const part = useJob(job);
  const state = part.parts?.[0];
  // What was refused can be put right and tried again: the file is still there.
  const open = job === undefined || state?.state === "refused" || state?.state === "stopped";
  const look = useQuery({
    queryKey: ["look", sent?.id, reading.time_column, reading.sample_rate_hz],
    enabled: sent !== undefined && open,
    placeholderData: (before) => before,
    queryFn: () =>
      told(
        api.POST("/api/files/{id}/look", {
          params: { path: { id: sent?.id ?? 0 } },
          body: { ...AS_IT_SAYS, time_column: reading.time_column, sample_rate_hz: reading.sample_rate_hz },
        }),
      ),
  });
  const drop = () => {
    sending.current?.stop();
    if (sent && state?.state !== "done")
      told(api.DELETE("/api/files/{id}", { params: { path: { id: sent.id } } })).catch(() => undefined);
    onGone();
  };
  const begin = async () => {
    setError(undefined);
    try {
      const body = { file: sent?.id ?? 0, reading };
      const made = await told(
        api.POST("/api/campaigns/{id}/jobs/bring-in", { params: { path: { id: campaign } }, body }),
      );
      setJob(made.id);
    } catch (e) {
      setError(e as Error);
    }
  };
  const l = look.data;
  const count = (n: number, one: string) => (n ? `${n} ${n === 1 ? one : `${one}s`}` : "");
  const summary = l?.kind
    ? [
        l.kind,
        count(l.channels.length, "channel"),
        l.channels.length ? rate(l.sample_rate_hz) : "",
        count(l.results.length, "result"),
        l.samples ? span(l.samples / l.sample_rate_hz) : "",
      ]
        .filter(Boolean)
        .join(", ")
    : "";
  return (
    <section aria-label={file.name} className="border-t border-rule pt-2">
      <div className="flex items-baseline gap-4">
        <b className="truncate">{file.name}</b>
        <span className="num text-[13px] text-soft">{bytes(file.size)}</span>
        {!sent && !error && <Progress says="sending" share={share} />}
        {sent && !l && !look.error && <span className="text-[13px] text-soft">looking at it …</span>}
        <span className="text-[13px]">{summary}</span>
        <span className="ml-auto flex items-baseline gap-4">
          {open && l?.kind && (
            <Button look="main" onClick={begin}>
              Bring in
            </Button>
          )}
          {state?.state === "waiting" && <span className="text-[13px] text-soft">waits</span>}
          {state?.state === "going" && <Progress says="bringing in" share={state.share} />}
          {part.going && (
            <Button look="link" onClick={() => part.stop().catch(setError)}>
              Stop
            </Button>
          )}
          {state?.state === "done" && (
            <span className="text-[13px]">
              brought in:{" "}
              {state.run && (
                <Link to={to(`/study/${state.run}`)} className="text-harbour hover:underline">
                  open it
                </Link>
              )}
              {state.run && state.result && ", "}
              {state.result && (
                <Link to={to(`/study/${state.run ?? "newest"}/results`)} className="text-harbour hover:underline">
                  its results
                </Link>
              )}
            </span>
          )}
          {state?.state === "stopped" && <span className="text-[13px] text-lamp">stopped, nothing was kept</span>}
          <Button look="link" aria-label={`Take ${file.name} off this list`} onClick={drop}>
            {state?.state === "done" ? "Done" : "Leave it out"}
          </Button>
        </span>
      </div>
      <Wrong error={error ?? look.error} />
      {state?.state === "refused" && <Wrong error={new Error(`${state.says}. Nothing was kept of it.`)} />}
      {l && open && <LookWords campaign={campaign} look={l} reading={reading} onRead={setReading} name={file.name} />}
    </section>
  );
}

function Progress({ says, share }: { says: string; share: number }) {
  return (
    <span role="status" className="flex items-center gap-2 text-[13px] text-soft">
      {says}
      <ShareBar share={share} />
      <span className="num">{Math.round(100 * share)} %</span>
    </span>
  );
}
