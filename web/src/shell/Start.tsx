/** Addresses that name no campaign: they lead to the one that is measured, or to the one a run belongs to. */
import { useQuery } from "@tanstack/react-query";
import { Navigate, Route, Routes, useLocation } from "react-router";
import { api, told } from "../api/client";
import { live, useConnected } from "../api/live";
import { useCampaigns } from "../api/queries";
import { Empty, Wrong } from "../ui/Panel";
import { within } from "./address";
import { Shell } from "./Shell";

live.open();

export function Start() {
  return (
    <Routes>
      <Route path="/c/:campaign/*" element={<Shell />} />
      <Route path="*" element={<Nowhere />} />
    </Routes>
  );
}

function Nowhere() {
  const { pathname, search } = useLocation();
  const campaigns = useCampaigns();
  const connected = useConnected();
  const number = Number(pathname.match(/^\/study\/(\d+)/)?.[1]);
  const run = useQuery({
    queryKey: ["run", number],
    enabled: Number.isFinite(number),
    queryFn: () => told(api.GET("/api/runs/{id}", { params: { path: { id: number } } })),
  });
  const all = campaigns.data;
  const id = Number.isFinite(number) ? run.data?.campaign_id : (all?.find((c) => c.chosen) ?? all?.[0])?.id;
  if (id !== undefined) return <Navigate to={`${within(id, pathname === "/" ? "/rig" : pathname)}${search}`} replace />;
  const error = campaigns.error ?? run.error;
  return (
    <main className="flex h-full flex-col p-3">
      {error ? (
        <Wrong error={error} />
      ) : (
        <Empty says={all?.length === 0 ? "There is no campaign yet." : connected ? "Opening …" : "Connecting …"} />
      )}
    </main>
  );
}
