/** What the numbers of a lens may be, as the server has it. */
import { useQuery } from "@tanstack/react-query";
import { api, told } from "../../../api/client";

export function useLimits(lens: string, key: string) {
  const all = useQuery({
    queryKey: ["lenses"],
    queryFn: () => told(api.GET("/api/lenses")),
    staleTime: Number.POSITIVE_INFINITY,
  }).data;
  return all?.find((l) => l.lens === lens)?.limits.find((l) => l.key === key);
}
