/** Rounds, watched quantities and tachometers as the server tells them. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, told } from "./client";

const at = (id: number | undefined) => ({ params: { path: { id: id ?? 0 } } });

/** The rounds of a schedule; of the newest where none is named. */
export const useRounds = (campaign: number | undefined, schedule?: number) =>
  useQuery({
    queryKey: ["rounds", campaign, schedule],
    enabled: campaign !== undefined,
    queryFn: () =>
      told(
        api.GET("/api/campaigns/{id}/rounds", {
          params: { path: { id: campaign ?? 0 }, query: schedule === undefined ? {} : { schedule } },
        }),
      ),
  });

export function useOrderRounds(campaign: number | undefined) {
  const client = useQueryClient();
  return useMutation<unknown, Error, boolean>({
    mutationFn: (go) =>
      go
        ? told(api.POST("/api/campaigns/{id}/rounds", at(campaign)))
        : told(api.DELETE("/api/campaigns/{id}/rounds", at(campaign))),
    onSuccess: () => client.invalidateQueries({ queryKey: ["rounds", campaign] }),
  });
}

export const useWatch = (campaign: number | undefined) =>
  useQuery({
    queryKey: ["watch", campaign],
    enabled: campaign !== undefined,
    queryFn: () => told(api.GET("/api/campaigns/{id}/watch", at(campaign))),
    refetchInterval: 700,
  });

export function useAcknowledge(campaign: number | undefined) {
  const client = useQueryClient();
  return useMutation<unknown, Error, number>({
    mutationFn: (alarm) =>
      told(api.POST("/api/campaigns/{id}/alarms/{alarm}", { params: { path: { id: campaign ?? 0, alarm } } })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["watch", campaign] }),
  });
}
