/** Rounds as they go: how many, when the next, start and stop. */
import { useState } from "react";
import { useOrderRounds, useRounds } from "../../../api/rounds";
import { useCampaign } from "../../../shell/useCampaign";
import { Button } from "../../../ui/Button";

export function Rounds() {
  const { id } = useCampaign();
  const s = useRounds(id).data;
  const order = useOrderRounds(id);
  const [error, setError] = useState("");
  const done = s?.rounds.filter((r) => r.state === "done").length ?? 0;
  const going = s?.state === "going";
  const say = (go: boolean) => {
    setError("");
    order.mutateAsync(go).catch((e: Error) => setError(e.message));
  };
  return (
    <div className="border-t border-rule pt-1 text-[13px]">
      {s && (
        <p>
          {going ? "Rounds go: " : `Rounds ${s.state}: `}
          <b className="num">{done}</b> of {s.count} made
          {going && s.next_at && `, the next at ${new Date(s.next_at).toLocaleTimeString("en-GB")}`}
        </p>
      )}
      <Button look="link" onClick={() => say(!going)}>
        {going ? "Stop the rounds" : "Start the rounds"}
      </Button>
      {error && (
        <p role="alert" className="text-reef">
          {error}
        </p>
      )}
    </div>
  );
}
