/** The list of results that is being made, kept with the page so that any view shows how far it is. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useSyncExternalStore } from "react";
import { api, type Schema, told } from "../../../api/client";

export type OneOf = Schema["OneOf"];

let going: { campaign: number; batch: number } | undefined;
const told_ = new Set<() => void>();

export function watchBatch(campaign: number, batch: number | undefined) {
  going = batch === undefined ? undefined : { campaign, batch };
  for (const f of told_) f();
}

const subscribe = (f: () => void) => {
  told_.add(f);
  return () => told_.delete(f);
};

export function useBatch(campaign: number | undefined) {
  const client = useQueryClient();
  const now = useSyncExternalStore(subscribe, () => going);
  const id = now && now.campaign === campaign ? now.batch : undefined;
  const open = (ones: OneOf[] | undefined) => ones?.some((o) => o.state === "waiting" || o.state === "going");
  const list = useQuery({
    queryKey: ["batch", id],
    enabled: id !== undefined,
    queryFn: () => told(api.GET("/api/batches/{id}", { params: { path: { id: id ?? 0 } } })),
    refetchInterval: (q) => (q.state.data && !open(q.state.data) ? false : 400),
  });
  const done = list.data?.filter((o) => o.state === "done").length ?? 0;
  // What is made is in the table at once.
  // biome-ignore lint/correctness/useExhaustiveDependencies: the number of those done is what is waited for
  useEffect(() => {
    client.invalidateQueries({ queryKey: ["kept-results"] });
  }, [done, client]);
  return {
    ones: list.data,
    going: id !== undefined && (open(list.data) ?? true),
    error: list.error,
    stop: () => told(api.DELETE("/api/batches/{id}", { params: { path: { id: id ?? 0 } } })),
    close: () => watchBatch(campaign ?? 0, undefined),
  };
}
