/** A job: work that goes on though the page is gone, on this server or a worker; told where it stands as it goes on. */
import { useQuery } from "@tanstack/react-query";
import { api, type Schema, told } from "../api/client";

export type Part = Schema["PartBody"];

const open = (parts: Part[] | undefined) => parts?.some((p) => p.state === "waiting" || p.state === "going");

export function useJob(id: number | undefined) {
  const list = useQuery({
    queryKey: ["job", id],
    enabled: id !== undefined,
    queryFn: () => told(api.GET("/api/jobs/{id}", { params: { path: { id: id ?? 0 } } })),
  });
  return {
    parts: list.data,
    going: id !== undefined && (open(list.data) ?? true),
    error: list.error,
    resume: () => told(api.POST("/api/jobs/{id}/resume", { params: { path: { id: id ?? 0 } } })),
    stop: () => told(api.DELETE("/api/jobs/{id}", { params: { path: { id: id ?? 0 } } })),
  };
}
