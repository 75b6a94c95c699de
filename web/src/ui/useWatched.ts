/** Something that the server computes: it tells how far it is once it takes longer, and can be stopped. */
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useId, useState } from "react";
import { api, told } from "../api/client";

/** How long a computation may take before it tells how far it is, ms. */
const QUIET = 600;

/** `ask` gets a signal that stops it, and the key by which its progress is read. */
export function useWatched<T>(
  queryKey: unknown[],
  enabled: boolean,
  ask: (signal: AbortSignal, watch: string) => Promise<T>,
) {
  const client = useQueryClient();
  const watch = useId().replace(/[^\w]/g, "");
  const [stopped, setStopped] = useState("");
  const text = JSON.stringify(queryKey);
  const result = useQuery<T>({
    queryKey,
    enabled: enabled && stopped !== text,
    queryFn: ({ signal }) => ask(signal, watch),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const { isFetching } = result;
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
      client.cancelQueries({ queryKey });
    },
    again: () => setStopped(""),
  };
}

export type WatchedState = Pick<
  ReturnType<typeof useWatched>,
  "isFetching" | "share" | "ahead" | "stopped" | "stop" | "again"
>;
