import { useEffect } from "react";
import { Navigate, NavLink, Route, Routes } from "react-router";
import { useStatus } from "../../api/live";
import { useRig } from "../../api/queries";
import { useTo } from "../../shell/address";
import { useCampaign } from "../../shell/useCampaign";
import { Empty, Wrong } from "../../ui/Panel";
import { Channels } from "./Channels";
import { Check } from "./check/Check";
import { FrontEnds } from "./front-ends/FrontEnds";
import { Levels } from "./levels/Levels";
import { Sensors } from "./sensors/Sensors";
import { Specimen } from "./specimen/Specimen";

const views = [
  { path: "", says: "Channels" },
  { path: "specimen", says: "Specimen" },
  { path: "levels", says: "Levels" },
  { path: "sensors", says: "Sensors" },
  { path: "check", says: "Check a sensor" },
  { path: "front-ends", says: "Front ends" },
];

/** Rig: what is connected, where it sits, and whether it lives. */
export function RigStation() {
  const { id } = useCampaign();
  const to = useTo();
  const rig = useRig(id);
  const plugs = useStatus()?.plugs;
  // biome-ignore lint/correctness/useExhaustiveDependencies: a plug in or out is what is waited for
  useEffect(() => {
    rig.refetch();
    // The server may still be letting settings follow the sensor.
    const later = window.setTimeout(() => rig.refetch(), 400);
    return () => window.clearTimeout(later);
  }, [plugs]);
  if (!rig.data) return rig.error ? <Wrong error={rig.error} /> : <Empty says="Loading rig …" />;
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-2">
      <nav aria-label="Views of the rig" className="flex gap-5 border-b border-rule">
        {views.map((v) => (
          <NavLink
            key={v.path}
            to={to(v.path ? `/rig/${v.path}` : "/rig")}
            end
            className={({ isActive }) =>
              `-mb-px border-b-2 pb-0.5 ${isActive ? "border-harbour font-semibold text-harbour" : "border-transparent text-soft hover:text-ink"}`
            }
          >
            {v.says}
          </NavLink>
        ))}
      </nav>
      <Routes>
        <Route path="" element={<Channels body={rig.data} />} />
        <Route path="specimen" element={<Specimen body={rig.data} />} />
        <Route path="levels" element={<Levels body={rig.data} />} />
        <Route path="sensors" element={<Sensors body={rig.data} />} />
        <Route path="check" element={<Check body={rig.data} />} />
        <Route path="front-ends" element={<FrontEnds body={rig.data} />} />
        <Route path="*" element={<Navigate to={to("/rig")} replace />} />
      </Routes>
    </div>
  );
}
