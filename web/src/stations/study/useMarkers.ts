/** Lines of the machine at the speed of a bracket; made again once anything of the run is put right. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, type RunDetail, told } from "../../api/client";
import type { Range } from "../../ui/plot/Plot";
import { corrected } from "./rows";

export const useMarkers = (run: RunDetail, [from_s, to_s]: Range) =>
  useQuery({
    queryKey: ["markers", run.id, from_s, to_s, corrected(run)],
    queryFn: ({ signal }) =>
      told(api.GET("/api/runs/{id}/markers", { params: { path: { id: run.id }, query: { from_s, to_s } }, signal })),
    placeholderData: keepPreviousData,
    retry: false,
  }).data;
