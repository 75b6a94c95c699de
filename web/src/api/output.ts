/** The output of a front end, driven by this page: it ends by itself when the page is gone. */
import { api, type Schema, told } from "./client";

const LEASE_S = 2;
const KEPT_MS = 500;
let keeping: ReturnType<typeof setInterval> | undefined;

/** Drives the output, or silences it with 0 V; rejects with the reason when the front end refuses. */
export async function driveOutput(unit: number, to: Omit<Schema["OutputRequest"], "lease_s">): Promise<void> {
  clearInterval(keeping);
  const params = { path: { unit } };
  await told(api.PUT("/api/front-ends/{unit}/output", { params, body: { ...to, lease_s: LEASE_S } }));
  clearInterval(keeping);
  if (to.peak_v <= 0) return;
  keeping = setInterval(async () => {
    const kept = await api.POST("/api/front-ends/{unit}/output/keep", { params }).catch(() => undefined);
    // It has ended on the server's side: there is nothing to keep.
    if (kept?.error) clearInterval(keeping);
  }, KEPT_MS);
}
