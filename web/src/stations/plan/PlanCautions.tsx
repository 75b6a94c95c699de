/** What the rules find in the plan, each with its fix; it can be let pass with a reason, as in the rig. */
import { useState } from "react";
import { useRig } from "../../api/queries";
import { useGo } from "../../shell/address";
import { Wrong } from "../../ui/Panel";
import { Finding } from "../rig/Cautions";
import { useEditing } from "../rig/editing";
import { mending } from "../rig/mending";
import type { PlanProps } from "./planProps";

export function PlanCautions({ campaign, set }: Pick<PlanProps, "campaign" | "set">) {
  const rig = useRig(campaign).data;
  const editing = useEditing(campaign, rig);
  const go = useGo();
  const [error, setError] = useState<Error>();
  const found = rig?.cautions.filter((c) => c.station === "plan") ?? [];
  const onError = (e: Error | undefined) => {
    editing.setReview(undefined);
    setError(e);
  };
  const { fix, waive } = mending({ campaign, editing, savePlan: set, onError });
  const clash = editing.review && new Error("the rig was changed meanwhile");
  if (found.length === 0) return null;
  return (
    <section aria-label="Cautions about the plan" className="px-3">
      <Wrong error={error ?? clash} />
      <ul>
        {found.map((c) => (
          <Finding
            key={`${c.rule}-${c.input}-${c.says}`}
            caution={c}
            byKey={false}
            onFix={fix}
            onWaive={waive}
            onSelect={(input) => go(`/rig?input=${input}`)}
          />
        ))}
      </ul>
    </section>
  );
}
