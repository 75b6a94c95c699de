/** What can be done with a run of the list. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schema, told } from "../api/client";

const at = (id: number) => ({ params: { path: { id } } });

export const useDeletedRuns = (campaign: number | undefined) =>
  useQuery({
    queryKey: ["runs", campaign, "deleted"],
    enabled: campaign !== undefined,
    queryFn: () => told(api.GET("/api/campaigns/{id}/deleted-runs", at(campaign ?? 0))),
  });

export const useDifferences = (one: number, other: number) =>
  useQuery({
    queryKey: ["run", one, "differences", other],
    queryFn: () => told(api.GET("/api/runs/{id}/differences/{other}", { params: { path: { id: one, other } } })),
  });

export function useRunActs() {
  const client = useQueryClient();
  const then = async (act: Promise<unknown>) => {
    await act;
    await client.invalidateQueries({ queryKey: ["runs"] });
  };
  return {
    describe: (id: number, body: Schema["RunDescription"]) =>
      then(told(api.PUT("/api/runs/{id}/description", { ...at(id), body }))),
    remove: (id: number) => then(told(api.DELETE("/api/runs/{id}", at(id)))),
    restore: (id: number) => then(told(api.POST("/api/runs/{id}/restore", at(id)))),
    move: (id: number, body: number) => then(told(api.PUT("/api/runs/{id}/campaign", { ...at(id), body }))),
  };
}
