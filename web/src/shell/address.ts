/** Addresses: every view belongs to the campaign that is on the screen, and its address says so. */
import { useCallback } from "react";
import { useNavigate, useParams } from "react-router";

/** The station of an address. */
export const stationOf = (pathname: string): string | undefined => pathname.split("/")[3];

/** A path within a campaign, such as `/plan/limits`, as an address. */
export const within = (campaign: number | string | undefined, path: string) =>
  campaign === undefined ? path : `/c/${campaign}${path}`;

/** Makes addresses within the campaign that is on the screen. */
export function useTo() {
  const { campaign } = useParams();
  return useCallback((path: string) => within(campaign, path), [campaign]);
}

/** Goes to a path within the campaign that is on the screen. */
export function useGo() {
  const navigate = useNavigate();
  const to = useTo();
  return useCallback(
    (path: string) => {
      navigate(to(path));
    },
    [navigate, to],
  );
}
