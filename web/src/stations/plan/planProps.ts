/** What the parts of the plan share. */
import type { Channel, Plan, PlanBody } from "../../api/client";

/** What every part of the plan needs: the plan, the channels that are on, and how to change it. */
export type PlanProps = {
  campaign: number | undefined;
  body: PlanBody;
  channels: Channel[];
  /** Rejects with the reason when the change is refused; what was removed by it can be taken back for a while. */
  set: (part: Partial<Plan>, removed?: string) => Promise<unknown>;
};
