/** Tap series, the responses made of them, and modes, as the server tells them. */
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schema, told } from "./client";

export type Series = Schema["SeriesBody"];
export type TapPlan = Schema["ImpactPlan"];
export type Act = Schema["Act"];
export type TapPoint = Schema["PointBody"];
export type TapHit = Schema["HitBody"];
export type FunctionSet = Schema["FunctionSet"];
export type OneFunction = Schema["FunctionBody"];
export type Modes = Schema["ModesBody"];
export type OfSet = Schema["OfSet"];

const at = (id: number | undefined) => ({ params: { path: { id: id ?? 0 } } });

export const useAllSeries = (campaign: number | undefined) =>
  useQuery({
    queryKey: ["taps", "all", campaign],
    enabled: campaign !== undefined,
    queryFn: () => told(api.GET("/api/campaigns/{id}/taps", at(campaign))),
  });

/** A series, with the hits of a point; of the newest hit's where none is named. */
export const useSeries = (id: number | undefined, point?: number) =>
  useQuery({
    queryKey: ["taps", id, point],
    enabled: id !== undefined,
    placeholderData: keepPreviousData,
    queryFn: () =>
      told(
        api.GET("/api/taps/{id}", {
          params: { path: { id: id ?? 0 }, query: point === undefined ? {} : { point } },
        }),
      ),
  });

/** What is shown of a point: its newest hits, and the responses so far. */
export const useTapPicture = (id: number, point: number, pair: number) =>
  useQuery({
    queryKey: ["taps", "picture", id, point, pair],
    placeholderData: keepPreviousData,
    queryFn: () =>
      told(api.GET("/api/taps/{id}/points/{point}/picture", { params: { path: { id, point }, query: { pair } } })),
  });

/** What is done about a series; what comes of it is shown at once. */
export function useSeriesActs(id: number) {
  const client = useQueryClient();
  const fresh = () => client.invalidateQueries({ queryKey: ["taps"] });
  const act = useMutation<Series, Error, Act>({
    mutationFn: (body) => told(api.POST("/api/taps/{id}/act", { ...at(id), body })),
    onSettled: fresh,
  });
  const go = useMutation<Series, Error>({
    mutationFn: () => told(api.POST("/api/taps/{id}/go", at(id))),
    onSettled: fresh,
  });
  const change = (body: TapPlan, made_on: number) =>
    told(api.PUT("/api/taps/{id}", { params: { path: { id }, query: { made_on } }, body })).finally(fresh);
  const anew = useMutation<Series, Error>({
    mutationFn: () => told(api.POST("/api/taps/{id}/anew", at(id))),
    onSettled: fresh,
  });
  return { act, go, change, anew };
}

export const useFunctions = (campaign: number | undefined) =>
  useQuery({
    queryKey: ["functions", campaign],
    enabled: campaign !== undefined,
    queryFn: () => told(api.GET("/api/campaigns/{id}/functions", at(campaign))),
  });
