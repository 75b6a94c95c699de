/** The shelf as the server has it, and what can be done with a campaign on it. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schema, told } from "../api/client";

export type Shelved = Schema["ShelvedBody"];

const at = (id: number) => ({ params: { path: { id } } });

export const useShelf = () => useQuery({ queryKey: ["shelf"], queryFn: () => told(api.GET("/api/shelf")) });

export function useShelfActs() {
  const client = useQueryClient();
  const refresh = () =>
    Promise.all(["shelf", "campaigns"].map((subject) => client.invalidateQueries({ queryKey: [subject] })));
  const then = async (act: Promise<unknown>) => {
    await act;
    await refresh();
  };
  return {
    refresh,
    rename: (id: number, body: Schema["Naming"]) => then(told(api.PUT("/api/campaigns/{id}", { ...at(id), body }))),
    archive: (id: number, body: boolean) => then(told(api.PUT("/api/campaigns/{id}/archived", { ...at(id), body }))),
    remove: (id: number) => then(told(api.DELETE("/api/campaigns/{id}", at(id)))),
    restore: (id: number) => then(told(api.POST("/api/campaigns/{id}/restore", at(id)))),
  };
}

/** Begins a campaign; gives its key. */
export function useBegin() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (body: Schema["NewCampaign"]) => told(api.POST("/api/campaigns", { body })),
    onSuccess: () =>
      Promise.all(["shelf", "campaigns"].map((subject) => client.invalidateQueries({ queryKey: [subject] }))),
  });
}
