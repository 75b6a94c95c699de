/** Says whose the front ends are while they measure for another campaign than the one on the screen. */
import { useQueryClient } from "@tanstack/react-query";
import { useLocation, useNavigate } from "react-router";
import { api, told } from "../api/client";
import { useStatusOf } from "../api/live";
import { Button } from "../ui/Button";
import { stationOf, within } from "./address";
import { captureName } from "./capture";
import { useCampaign, useMeasured } from "./useCampaign";

/** Stations that show or order what is measured now. */
const live = ["rig", "plan", "run"];

export function Elsewhere({ onError }: { onError: (says: string) => void }) {
  const { id, all } = useCampaign();
  const measured = useMeasured();
  const known = useStatusOf((s) => s !== undefined);
  const client = useQueryClient();
  const state = useStatusOf(captureName);
  const { pathname } = useLocation();
  const navigate = useNavigate();
  if (id === undefined || !known || measured === id) return null;
  const station = stationOf(pathname);
  if (station === undefined || !live.includes(station)) return null;
  const other = all.find((c) => c.id === measured);
  const choose = async () => {
    try {
      await told(api.POST("/api/campaigns/{id}/choose", { params: { path: { id } } }));
      client.invalidateQueries();
    } catch (e) {
      onError((e as Error).message);
    }
  };
  return (
    <div
      role="status"
      className="mb-2 flex items-center gap-4 border-l-4 border-lamp bg-sheet px-3 py-1 text-[13px] whitespace-nowrap"
    >
      <span className="truncate">
        <b className="text-lamp">▲</b> The front ends measure for{" "}
        <b>{measured === undefined ? "no campaign" : (other?.name ?? "another campaign")}</b>
        {state !== "idle" && `, which is ${state}`}. Live values are not shown here.
      </span>
      <span className="ml-auto" />
      {measured !== undefined && (
        <Button look="link" onClick={() => navigate(within(measured, `/${station}`))}>
          Open that campaign
        </Button>
      )}
      <Button look="link" disabled={state !== "idle"} onClick={choose}>
        Measure with this campaign
      </Button>
    </div>
  );
}
