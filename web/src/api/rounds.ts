/** Rounds, watched quantities and tachometers as the server tells them. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, told } from "./client";

const at = (id: number | undefined) => ({ params: { path: { id: id ?? 0 } } });

export const useRounds = (campaign: number | undefined) =>
  useQuery({
    queryKey: ["rounds", campaign],
    enabled: campaign !== undefined,
    queryFn: () => told(api.GET("/api/campaigns/{id}/rounds", at(campaign))),
    refetchInterval: 1_000,
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
