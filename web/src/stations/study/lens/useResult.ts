/** A result of the server: it follows what is dragged, tells how far it is, and can be stopped. */
import { useEffect, useState } from "react";
import { type Analysis, api, type RunDetail, told } from "../../../api/client";
import { useWatched } from "../../../ui/useWatched";
import { corrected } from "../rows";
import { useHeld } from "./useHeld";

type Wish = { recipe: object; query: { most?: number; low?: number; high?: number; numbered_as?: number } };

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
  const [busy, setBusy] = useState(false);
  const held = useHeld(wish, busy);
  const result = useWatched<Analysis>(resultKey(run, held), enabled, (signal, watch) =>
    askResult(run.id, held, signal, watch),
  );
  const { isFetching } = result;
  useEffect(() => setBusy(isFetching), [isFetching]);
  return result;
}
