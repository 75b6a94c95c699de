/** A result of the server: it follows what is dragged, tells how far it is, and can be stopped. */
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useId, useState } from "react";
import { type Analysis, api, type RunDetail, told } from "../../../api/client";
import { corrected } from "../rows";
import { useHeld } from "./useHeld";

type Wish = { recipe: object; query: { most?: number; low?: number; high?: number; numbered_as?: number } };

/** How long a computation may take before it tells how far it is, ms. */
const QUIET = 600;

export const resultKey = (run: RunDetail, wish: Wish) => ["result", run.id, wish.recipe, wish.query, corrected(run)];

export const askResult = (run: number, { recipe, query }: Wish, signal?: AbortSignal, watch?: string) =>
  told(
    api.POST("/api/runs/{id}/results", {
      params: { path: { id: run }, query: { ...query, ...(watch ? { watch } : {}) } },
      body: recipe as never,
      ...(signal ? { signal } : {}),
    }),
  );

export function useResult(run: RunDetail, wish: Wish, enabled: boolean) {
  const client = useQueryClient();
  const watch = useId().replace(/[^\w]/g, "");
  const [busy, setBusy] = useState(false);
  const [stopped, setStopped] = useState("");
  const held = useHeld(wish, busy);
  const key = resultKey(run, held);
  const text = JSON.stringify(key);
  const result = useQuery<Analysis>({
    queryKey: key,
    enabled: enabled && stopped !== text,
    queryFn: ({ signal }) => askResult(run.id, held, signal, watch),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const { isFetching } = result;
  useEffect(() => setBusy(isFetching), [isFetching]);
  const [share, setShare] = useState<number>();
  const [ahead, setAhead] = useState<number>();
  useEffect(() => {
    if (!isFetching) {
      setShare(undefined);
      setAhead(undefined);
      return;
    }
    const each = setInterval(async () => {
      const body = await told(api.GET("/api/progress/{watch}", { params: { path: { watch } } })).catch(() => undefined);
      if (body?.share != null) setShare(body.share);
      setAhead(body?.ahead ?? undefined);
    }, QUIET);
    return () => clearInterval(each);
  }, [isFetching, watch]);
  return {
    ...result,
    /** Share done, once it takes longer. */
    share,
    /** How many are before it, while it waits for its turn. */
    ahead,
    /** Whether somebody stopped it; `again` makes it after all. */
    stopped: stopped === text,
    stop: () => {
      setStopped(text);
      client.cancelQueries({ queryKey: key });
    },
    again: () => setStopped(""),
  };
}
