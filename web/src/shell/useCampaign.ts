import { useParams } from "react-router";
import { useStatusOf } from "../api/live";
import { useCampaigns } from "../api/queries";

/** The campaign that is on the screen. */
export function useCampaign() {
  const { data, error } = useCampaigns();
  const asked = Number(useParams().campaign);
  const campaign = data?.find((c) => c.id === asked);
  // Known from the address at once; whether there is one is told when the list is there.
  const id = Number.isSafeInteger(asked) && asked > 0 && (!data || campaign) ? asked : undefined;
  const loaded = data !== undefined;
  return { id, campaign, all: data ?? [], error, loaded, missing: loaded && campaign === undefined };
}

/** The campaign the front ends measure for; undefined while that is not known. */
export const useMeasured = () => useStatusOf((s) => s?.campaign ?? undefined);
