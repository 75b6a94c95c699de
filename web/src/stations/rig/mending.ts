/** What a caution offers, taken, and a caution let pass with a reason; in the rig and in the plan. */
import { api, type Caution, type Plan, told } from "../../api/client";
import { offerUndo } from "../../ui/undo";
import type { useEditing } from "./editing";

type Props = {
  campaign: number | undefined;
  editing: ReturnType<typeof useEditing>;
  savePlan: (plan: Plan) => Promise<unknown>;
  onError: (e: Error | undefined) => void;
};

export function mending({ campaign, editing, savePlan, onError }: Props) {
  const fix = (c: Caution) => {
    onError(undefined);
    if (c.fix_plan) savePlan(c.fix_plan).catch(onError);
    else
      editing
        .write({ cells: c.fix }, c.fix_says ?? c.says)
        .then((a) => a.refused[0] && onError(new Error(a.refused[0].says)), onError);
  };
  const waived = async (c: Caution, reason: string | null) =>
    editing.take(
      await told(
        api.POST("/api/campaigns/{id}/rig/waivers", {
          params: { path: { id: campaign ?? 0 } },
          body: { rule: c.rule, input: c.input ?? null, says: c.says, reason },
        }),
      ),
    );
  const waive = async (c: Caution, reason: string | null) => {
    const was = c.waived?.reason ?? null;
    await waived(c, reason);
    offerUndo(
      reason === null ? "Caution reopened" : "Caution waived",
      () => waived(c, was),
      () => waived(c, reason),
    );
  };
  return { fix, waive };
}
