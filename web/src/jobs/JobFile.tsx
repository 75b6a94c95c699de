/** A file that is made when it is asked for: how far it is, a stop, a way on from there, and then the file itself. */
import { useEffect, useState } from "react";
import { Button } from "../ui/Button";
import { useJob } from "./job";

type Props = {
  label: string;
  /** Asks for it; gives the key of the job. */
  begin: () => Promise<{ id: number }>;
};

export function JobFile({ label, begin }: Props) {
  const [id, setId] = useState<number>();
  const [says, setSays] = useState("");
  const job = useJob(id);
  const part = job.parts?.[0];
  const state = part?.state;
  const refused = part?.state === "refused" ? part.says : "";
  useEffect(() => {
    if (id === undefined || (state !== "done" && state !== "refused")) return;
    if (state === "done") {
      const link = document.createElement("a");
      link.href = `/api/jobs/${id}/file`;
      link.download = "";
      link.click();
    }
    setSays(refused);
    setId(undefined);
  }, [id, state, refused]);
  const away = job.error?.message;
  const ask = async () => {
    setSays("");
    try {
      setId((await begin()).id);
    } catch (e) {
      setSays((e as Error).message);
    }
  };
  const act = async (what: () => Promise<unknown>) => {
    setSays("");
    try {
      await what();
    } catch (e) {
      setSays((e as Error).message);
    }
  };
  if (id === undefined)
    return (
      <span className="flex items-baseline gap-2">
        {says && <span className="text-[13px] text-lamp">{says}</span>}
        <Button look="link" className="font-normal!" onClick={ask}>
          {label}
        </Button>
      </span>
    );
  if (part?.state === "stopped")
    return (
      <span role="status" className="flex items-baseline gap-2 text-[13px] text-soft">
        {says && <span className="text-lamp">{says}</span>}
        stopped at <span className="num">{Math.round(100 * part.share)} %</span>
        <Button look="link" aria-label={`Resume ${label}`} onClick={() => act(job.resume)}>
          Resume
        </Button>
        <Button look="link" className="font-normal!" onClick={() => setId(undefined)}>
          Start over
        </Button>
      </span>
    );
  return (
    <span role="status" className="flex items-baseline gap-2 text-[13px] text-soft">
      {label}:{" "}
      {away ? (
        <span className="text-lamp">{away}</span>
      ) : part?.state === "going" ? (
        <span className="num">{Math.round(100 * part.share)} %</span>
      ) : (
        "waits"
      )}
      {away && (
        <Button look="link" onClick={() => setId(undefined)}>
          Ask again
        </Button>
      )}
      <Button look="link" aria-label={`Stop ${label}`} onClick={() => act(job.stop)}>
        Stop
      </Button>
    </span>
  );
}
