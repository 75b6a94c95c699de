/** A campaign file on its way into the shelf: sent, then laid; it opens when it is there. */
import { useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api, told } from "../api/client";
import { type Sending, send } from "../bring/send";
import { useJob } from "../jobs/job";
import { within } from "../shell/address";
import { Button } from "../ui/Button";
import { Wrong } from "../ui/Panel";
import { ShareBar } from "../ui/ShareBar";

export function TakeIn({ file, onGone }: { file: File; onGone: () => void }) {
  const [share, setShare] = useState(0);
  const [job, setJob] = useState<number>();
  const [error, setError] = useState<Error>();
  const sending = useRef<Sending>(undefined);
  const navigate = useNavigate();
  const at = useJob(job);
  const part = at.parts?.[0];
  const made = part?.state === "done" ? part.campaign : undefined;
  useEffect(() => {
    const s = send(file, setShare);
    sending.current = s;
    const begin = async () => {
      const sent = await s.done;
      setJob((await told(api.POST("/api/files/{id}/jobs/take-in", { params: { path: { id: sent.id } } }))).id);
    };
    begin().catch(setError);
    return () => s.stop();
  }, [file]);
  useEffect(() => {
    if (made) navigate(within(made, "/rig"));
  }, [made, navigate]);
  const stop = () => {
    sending.current?.stop();
    if (job !== undefined && at.going) at.stop().catch(setError);
    else onGone();
  };
  const refused = part?.state === "refused" ? new Error(`${part.says}. Nothing was kept of it.`) : undefined;
  const over = error || refused || part?.state === "stopped";
  return (
    <div className="py-2 text-[14px]">
      {!over && (
        <p role="status" className="flex items-center gap-3">
          {job === undefined ? `Sending ${file.name}` : `Taking ${file.name} in`}
          <ShareBar share={job === undefined ? share : part?.state === "going" ? part.share : 0} />
          <Button look="link" onClick={stop}>
            Stop
          </Button>
        </p>
      )}
      <Wrong error={error ?? refused} />
      {over && (
        <Button look="link" onClick={onGone}>
          {part?.state === "stopped" ? "Stopped, nothing was kept. Close" : "Close"}
        </Button>
      )}
    </div>
  );
}
