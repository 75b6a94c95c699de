/** What the stations ask the server, cached by subject. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import {
  api,
  type Plan,
  type PlanBody,
  type ReportBody,
  type Schema,
  told,
  toldVersion,
  type Versioned,
} from "./client";

const at = (id: number) => ({ params: { path: { id } } });

export const useCampaigns = () => useQuery({ queryKey: ["campaigns"], queryFn: () => told(api.GET("/api/campaigns")) });

export const useRig = (campaign: number | undefined) =>
  useQuery({
    queryKey: ["rig", campaign],
    enabled: campaign !== undefined,
    queryFn: () => told(api.GET("/api/campaigns/{id}/rig", at(campaign ?? 0))),
    // Its cautions follow what is heard, which is in no table.
    refetchInterval: 3_000,
  });

export const usePlan = (campaign: number | undefined) =>
  useQuery({
    queryKey: ["plan", campaign],
    enabled: campaign !== undefined,
    queryFn: () => told(api.GET("/api/campaigns/{id}/plan", at(campaign ?? 0))),
    // Its sums follow the free room on the disk.
    refetchInterval: 10_000,
  });

export const useRuns = (campaign: number | undefined) =>
  useQuery({
    queryKey: ["runs", campaign],
    enabled: campaign !== undefined,
    queryFn: () => told(api.GET("/api/campaigns/{id}/runs", at(campaign ?? 0))),
  });

export const useRun = (id: number | undefined) =>
  useQuery({
    queryKey: ["run", id],
    enabled: id !== undefined,
    queryFn: () => told(api.GET("/api/runs/{id}", at(id ?? 0))),
  });

/** Computed channels, numbered as live displays take them. */
export const useMath = (campaign: number | undefined) =>
  useQuery({
    queryKey: ["math", campaign],
    enabled: campaign !== undefined,
    queryFn: () => toldVersion(api.GET("/api/campaigns/{id}/math", at(campaign ?? 0))),
  });

export const useReport = (campaign: number | undefined) =>
  useQuery({
    queryKey: ["report", campaign],
    enabled: campaign !== undefined,
    queryFn: () => toldVersion(api.GET("/api/campaigns/{id}/report", at(campaign ?? 0))),
  });

/** Results that are kept, of all runs. */
export const useKeptResults = (campaign: number | undefined) =>
  useQuery({
    queryKey: ["kept-results", campaign],
    enabled: campaign !== undefined,
    queryFn: () => told(api.GET("/api/campaigns/{id}/kept-results", at(campaign ?? 0))),
  });

/** Templates of reports. */
export const useReportTemplates = () =>
  useQuery({ queryKey: ["report-templates"], queryFn: () => told(api.GET("/api/report-templates")) });

/** What was done by itself, and what is still to be done: the newest first. */
export const useDoneByItself = (campaign: number | undefined) =>
  useQuery({
    queryKey: ["done-by-itself", campaign],
    enabled: campaign !== undefined,
    queryFn: () => told(api.GET("/api/campaigns/{id}/afterwards", at(campaign ?? 0))),
  });

/** The machine's elements. */
export const useMachine = (campaign: number | undefined) =>
  useQuery({
    queryKey: ["machine", campaign],
    enabled: campaign !== undefined,
    queryFn: () => toldVersion(api.GET("/api/campaigns/{id}/machine", at(campaign ?? 0))),
  });

/** Writes the machine's elements; what somebody else made of them is shown beside the refusal. */
export function useSaveMachine(campaign: number | undefined) {
  const client = useQueryClient();
  const refresh = async () => {
    await client.invalidateQueries({ queryKey: ["machine"] });
    client.invalidateQueries({ queryKey: ["markers"] });
  };
  return useMutation({
    mutationFn: ({ elements, made_on }: { elements: Schema["Element"][]; made_on: number }) => {
      const params = { path: { id: campaign ?? 0 }, query: { made_on } };
      return told(api.PUT("/api/campaigns/{id}/machine", { params, body: { elements } }));
    },
    onSettled: refresh,
  });
}

export const useSensors = () => useQuery({ queryKey: ["sensors"], queryFn: () => told(api.GET("/api/sensors")) });

export const useSensorHistory = (id: number | undefined) =>
  useQuery({
    queryKey: ["sensors", id],
    enabled: id !== undefined,
    queryFn: () => told(api.GET("/api/sensors/{id}/history", at(id ?? 0))),
  });

export const useVersions = (campaign: number | undefined) =>
  useQuery({
    queryKey: ["versions", campaign],
    enabled: campaign !== undefined,
    queryFn: () => told(api.GET("/api/campaigns/{id}/rig/versions", at(campaign ?? 0))),
  });

export function useSavePlan(campaign: number | undefined) {
  const client = useQueryClient();
  return useMutation({
    // One after the other, each on the version the one before it made.
    scope: { id: "plan" },
    mutationFn: (plan: Plan) => {
      const made_on = client.getQueryData<PlanBody>(["plan", campaign])?.version;
      const params = { path: { id: campaign ?? 0 }, query: made_on === undefined ? {} : { made_on } };
      return told(api.PUT("/api/campaigns/{id}/plan", { params, body: plan }));
    },
    // What somebody else made of it is shown beside the refusal.
    onError: () => client.invalidateQueries({ queryKey: ["plan", campaign] }),
    onSuccess: (plan) => {
      client.setQueryData(["plan", campaign], plan);
      // What the rules say of the plan comes with the rig.
      client.invalidateQueries({ queryKey: ["rig", campaign] });
    },
  });
}

/** Changes parts of the report, each on what the one before it made. */
export function useSaveReport(campaign: number | undefined) {
  const client = useQueryClient();
  const key = ["report", campaign];
  return useMutation({
    scope: { id: "report" },
    mutationFn: async (part: Partial<ReportBody> | ((now: ReportBody) => Partial<ReportBody>)) => {
      const now = client.getQueryData<Versioned<ReportBody>>(key);
      if (!now) throw new Error("The report is not read yet; try again in a moment.");
      const body = { ...now.data, ...(typeof part === "function" ? part(now.data) : part) };
      const query = { made_on: now.version };
      const params = { path: { id: campaign ?? 0 }, query };
      const version = await told(api.PUT("/api/campaigns/{id}/report", { params, body }));
      // An answer that was on its way tells what was before, and would be what the next change is made on.
      const onItsWay = client.isFetching({ queryKey: key }) > 0;
      await client.cancelQueries({ queryKey: key }, { revert: false });
      client.setQueryData<Versioned<ReportBody>>(key, { data: body, version });
      // It may have told what somebody else wrote since.
      if (onItsWay) client.invalidateQueries({ queryKey: key });
    },
    // What somebody else made of it is shown beside the refusal.
    onError: () => client.invalidateQueries({ queryKey: key }),
  });
}

/** Smallest and largest of equal stretches of a run's channels. */
export type Envelope = { channel: number; low: Float32Array; high: Float32Array };

export async function overview(
  run: number,
  channels: number[],
  from: number,
  to: number,
  points: number,
  signal?: AbortSignal,
) {
  const bytes = await told(
    api.GET("/api/runs/{id}/overview", {
      params: { path: { id: run }, query: { channels: channels.join(","), from_s: from, to_s: to, points } },
      parseAs: "arrayBuffer",
      signal,
    }),
  );
  const all = new Float32Array(bytes as unknown as ArrayBuffer);
  return channels.map((channel, i): Envelope => {
    const a = i * 2 * points;
    return { channel, low: all.subarray(a, a + points), high: all.subarray(a + points, a + 2 * points) };
  });
}
