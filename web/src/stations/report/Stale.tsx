/** Kept results of the report that are older than what was put right in their runs, made again in one go. */
import { useState } from "react";
import type { Schema } from "../../api/client";
import { Button } from "../../ui/Button";
import { Wrong } from "../../ui/Panel";
import { makeAgain, useList } from "../study/results/list";
import { type Block, staleOf } from "./blocks";

type Kept = Schema["KeptResultBody"];

export function Stale({ campaign, blocks, kept }: { campaign: number; blocks: Block[]; kept: Kept[] }) {
  const [error, setError] = useState<Error>();
  const list = useList(campaign);
  const stale = staleOf(blocks, kept);
  if (stale.length === 0 && !list.going) return <Wrong error={error} />;
  const again = () => {
    setError(undefined);
    makeAgain(
      campaign,
      stale.map((k) => k.id),
    ).catch(setError);
  };
  const done = list.parts?.filter((p) => p.state === "done").length ?? 0;
  return (
    <div role="status" className="flex items-center gap-3 border border-lamp/60 bg-sheet px-3 py-1 text-[13px]">
      {list.going ? (
        <span>
          {done} of {list.parts?.length ?? 0} results made again
        </span>
      ) : (
        <>
          <span>
            <span className="text-lamp">▲</span>{" "}
            {stale.length === 1 ? `“${stale[0]?.name}” is` : `${stale.length} kept results are`} older than what was put
            right since.
          </span>
          <Button onClick={again}>{stale.length === 1 ? "Make it again" : "Make them again"}</Button>
        </>
      )}
      <Wrong error={error ?? (list.error as Error | null)} />
    </div>
  );
}
