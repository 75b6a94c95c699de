/** Plan: how fast, when, how long, by which recorders; speed, limits, rounds; tried before it counts. */

import { useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import { NavLink, Route, Routes } from "react-router";
import type { Plan, PlanBody } from "../../api/client";
import { usePlan, useRig, useSavePlan } from "../../api/queries";
import { useTo } from "../../shell/address";
import { useCampaign } from "../../shell/useCampaign";
import { Empty, Wrong } from "../../ui/Panel";
import { offerUndo } from "../../ui/undo";
import { Afterwards } from "./Afterwards";
import { DryRun } from "./DryRun";
import { Limits } from "./Limits";
import type { PlanProps } from "./planProps";
import { RoundsPlan } from "./RoundsPlan";
import { Speed } from "./Speed";
import { Steps } from "./Steps";
import { TakesPlan } from "./TakesPlan";

const views = [
  { path: "", says: "Takes" },
  { path: "speed", says: "Speed and angle" },
  { path: "limits", says: "Limits" },
  { path: "rounds", says: "Rounds" },
  { path: "afterwards", says: "Afterwards" },
  { path: "steps", says: "Full scale and resolution" },
  { path: "dry-run", says: "Dry run" },
];

export function PlanStation() {
  const { id } = useCampaign();
  const to = useTo();
  const plan = usePlan(id);
  const rig = useRig(id).data;
  const save = useSavePlan(id);
  const client = useQueryClient();
  // One change after the other, each on the plan the last one made: what is typed quickly is not lost.
  const queue = useRef<Promise<unknown>>(Promise.resolve());
  const change = (part: Partial<Plan>, removed?: string): Promise<unknown> => {
    const done = queue.current.then(async () => {
      const now = (client.getQueryData<PlanBody>(["plan", id]) ?? (plan.data as PlanBody)).plan;
      await save.mutateAsync({ ...now, ...part });
      const before = Object.fromEntries(Object.keys(part).map((k) => [k, now[k as keyof Plan]]));
      if (removed)
        offerUndo<unknown>(
          removed,
          () => change(before),
          () => change(part),
        );
    });
    queue.current = done.catch(() => undefined);
    return done;
  };
  if (!plan.data) return plan.error ? <Wrong error={plan.error} /> : <Empty says="Loading plan …" />;
  const body = plan.data;
  const props: PlanProps = {
    campaign: id,
    body,
    channels: rig?.rig.channels.filter((c) => c.on) ?? [],
    set: change,
  };
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-2">
      <nav aria-label="Views of the plan" className="flex gap-5 border-b border-rule">
        {views.map((v) => (
          <NavLink
            key={v.path}
            to={to(v.path ? `/plan/${v.path}` : "/plan")}
            end
            className={({ isActive }) => `pb-1 ${isActive ? "border-b-2 border-harbour font-semibold" : "text-soft"}`}
          >
            {v.says}
          </NavLink>
        ))}
        {body.unfit && <span className="ml-auto text-[13px] text-lamp">▲ {body.unfit}</span>}
      </nav>
      <Routes>
        <Route index element={<TakesPlan {...props} />} />
        <Route path="speed" element={<Speed {...props} />} />
        <Route path="limits" element={<Limits {...props} />} />
        <Route path="rounds" element={<RoundsPlan {...props} />} />
        <Route path="afterwards" element={<Afterwards {...props} />} />
        <Route path="steps" element={<Steps {...props} />} />
        <Route path="dry-run" element={<DryRun {...props} />} />
      </Routes>
    </div>
  );
}
