/** Runs laid over the one that is studied, by time, trigger or speed: the address keeps which. */
import { useQueries } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { api, type RunDetail, told } from "../../api/client";

export type AlignBy = "time" | "trigger" | "speed";
export type Laid = { run: RunDetail; shift_s: number };

/** Runs named in an address. */
export const overOf = (params: URLSearchParams) =>
  (params.get("over") ?? "")
    .split(",")
    .map(Number)
    .filter((n) => Number.isInteger(n) && n > 0);

/** The address with a run laid over, or taken off again. */
export function toggled(params: URLSearchParams, run: number): URLSearchParams {
  const over = overOf(params);
  const next = new URLSearchParams(params);
  const all = over.includes(run) ? over.filter((r) => r !== run) : [...over, run].slice(-6);
  if (all.length) next.set("over", all.join(","));
  else next.delete("over");
  return next;
}

export function useLaid(run: RunDetail, at_s: number) {
  const [params, setParams] = useSearchParams();
  const over = overOf(params).filter((r) => r !== run.id);
  const by = (["time", "trigger", "speed"] as const).find((b) => b === params.get("by")) ?? "time";
  const runs = useQueries({
    queries: over.map((id) => ({
      queryKey: ["run", id],
      queryFn: () => told(api.GET("/api/runs/{id}", { params: { path: { id } } })),
    })),
  });
  const shifts = useQueries({
    queries: over.map((other) => ({
      queryKey: ["alignment", run.id, other, by, by === "time" ? 0 : at_s],
      retry: false,
      queryFn: () =>
        told(
          api.GET("/api/runs/{id}/alignment", {
            params: { path: { id: run.id }, query: { other, by, at_s } },
          }),
        ),
    })),
  });
  const laid: Laid[] = over.flatMap((_, i) => {
    const [r, s] = [runs[i]?.data, shifts[i]?.data];
    return r && s ? [{ run: r, shift_s: s.shift_s }] : [];
  });
  return {
    over: over.map((id, i) => ({
      id,
      run: runs[i]?.data,
      shift_s: shifts[i]?.data?.shift_s,
      error: (runs[i]?.error ?? shifts[i]?.error) as Error | null | undefined,
    })),
    laid,
    by,
    setBy: (to: AlignBy) => {
      const next = new URLSearchParams(params);
      next.set("by", to);
      setParams(next, { replace: true });
    },
    take: (id: number) => setParams(toggled(params, id), { replace: true }),
    clear: () => {
      const next = new URLSearchParams(params);
      next.delete("over");
      setParams(next, { replace: true });
    },
  };
}
