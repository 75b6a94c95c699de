/** The list of results that is being made, kept with the page so that any view shows how far it is. */
import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { api, told } from "../../../api/client";
import { useJob } from "../../../jobs/job";
import { shared } from "../../../ui/shared";

const going = shared<{ campaign: number; list: number } | undefined>(undefined);

export const watchList = (campaign: number, list: number | undefined) =>
  going.set(list === undefined ? undefined : { campaign, list });

/** Begins to make kept results again, and shows how far that is; rejects with the reason where it cannot. */
export async function makeAgain(campaign: number, again: number[]) {
  const params = { path: { id: campaign } };
  const { id } = await told(api.POST("/api/campaigns/{id}/jobs/results", { params, body: { again } }));
  watchList(campaign, id);
}

export function useList(campaign: number | undefined) {
  const client = useQueryClient();
  const now = going.use();
  const id = now && now.campaign === campaign ? now.list : undefined;
  const job = useJob(id);
  const done = job.parts?.filter((p) => p.state === "done").length ?? 0;
  // What is made is in the table at once.
  // biome-ignore lint/correctness/useExhaustiveDependencies: the number of those done is what is waited for
  useEffect(() => {
    client.invalidateQueries({ queryKey: ["kept-results"] });
  }, [done, client]);
  return { ...job, close: () => watchList(campaign ?? 0, undefined) };
}
