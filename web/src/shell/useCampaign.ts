import { useCampaigns } from "../api/queries";

/** The campaign capture works for; the first one until one is chosen. */
export function useCampaign() {
  const { data, error } = useCampaigns();
  const chosen = data?.find((c) => c.chosen) ?? data?.[0];
  return { id: chosen?.id, campaign: chosen, all: data ?? [], error };
}
