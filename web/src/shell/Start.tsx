/** Addresses that name no campaign: they lead to the one that is measured, or to the one a run belongs to. */
import { useQuery } from "@tanstack/react-query";
import { Suspense, useEffect } from "react";
import { Navigate, Route, Routes, useLocation } from "react-router";
import { api, SIGNED_OUT, told } from "../api/client";
import { live, useConnected } from "../api/live";
import { useCampaigns } from "../api/queries";
import { useMe } from "../people/me";
import { People } from "../people/People";
import { SignIn } from "../people/SignIn";
import { Shelf } from "../shelf/Shelf";
import { Empty, Wrong } from "../ui/Panel";
import { within } from "./address";
import { later } from "./later";
import { Shell } from "./Shell";

const Help = later(() => import("../help/Help"), "Help");

live.open();

export function Start() {
  const me = useMe();
  useEffect(() => {
    // A session that ended is noticed by whatever is asked for next.
    const out = () => void me.refetch();
    window.addEventListener(SIGNED_OUT, out);
    return () => window.removeEventListener(SIGNED_OUT, out);
  }, [me.refetch]);
  if (me.data?.locked && !me.data.name) return <SignIn first={me.data.first} />;
  return (
    <Routes>
      <Route path="/c/:campaign/*" element={<Shell />} />
      <Route path="/campaigns" element={<Shelf />} />
      <Route path="/people" element={<People />} />
      <Route
        path="/help/:page?"
        element={
          <Suspense fallback={<Empty says="Opening …" />}>
            <Help />
          </Suspense>
        }
      />
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
  if (all?.length === 0) return <Navigate to="/campaigns" replace />;
  const error = campaigns.error ?? run.error;
  return (
    <main className="flex h-full flex-col p-3">
      {error ? <Wrong error={error} /> : <Empty says={connected ? "Opening …" : "Connecting …"} />}
    </main>
  );
}
