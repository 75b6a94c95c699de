/** The plan tried at full rate for a while: what the link, the processor, the store and the disk have left. */
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schema, told } from "../../api/client";
import { Button } from "../../ui/Button";
import { NumberWord } from "../../ui/EntryWord";
import { digits, plain, span } from "../../ui/format";
import { Empty, Panel, Wrong } from "../../ui/Panel";
import type { PlanProps } from "./planProps";

export function DryRun({ body }: PlanProps) {
  const [seconds, setSeconds] = useState(10);
  const dry = useMutation<Schema["Reserve"], Error>({
    mutationFn: () => told(api.POST("/api/capture/dry-run", { body: { seconds } })),
  });
  const b = dry.data;
  return (
    <Panel
      title="Dry run"
      says="records what the plan asks for, measures every stage, then discards the data"
      aside={
        <>
          <NumberWord label="Length of the dry run" value={seconds} unit="s" low={1} high={600} onSet={setSeconds} />
          <Button look="main" disabled={dry.isPending} onClick={() => dry.mutate()}>
            {dry.isPending ? "Trying …" : "Try the plan"}
          </Button>
        </>
      }
      className="min-h-60"
    >
      <Wrong error={dry.error} />
      {!b && (
        <Empty
          says={
            dry.isPending
              ? `The plan is recorded for ${span(seconds)}. Stop in the bar above ends it early.`
              : `Tries ${body.sums.channels} channels at ${plain(body.plan.sample_rate_hz)} Hz on what is connected now. Nothing of it is kept.`
          }
        />
      )}
      {b && (
        <div className="px-3 pb-3">
          <p className={`text-[20px] leading-8 font-semibold ${b.good ? "text-lee" : "text-reef"}`}>
            {b.good ? "◆ The system can sustain this plan" : "■ The system cannot sustain this plan"}
          </p>
          <p className="text-soft">
            {digits(b.samples_per_s / 1e6, 3)} million samples a second for {span(b.seconds)},{" "}
            {b.lost_blocks === 0 ? "no block lost" : `${b.lost_blocks} blocks lost`}
          </p>
          <table className="mt-2 w-full max-w-4xl">
            <tbody>
              {b.stages.map((s) => (
                <tr key={s.stage} className="border-t border-rule">
                  <td className="w-28 py-1.5 font-semibold capitalize">{s.stage}</td>
                  <td className="w-80">
                    <span
                      className="relative block h-3 bg-trough"
                      role="meter"
                      aria-label={`Used of the ${s.stage}`}
                      aria-valuenow={Math.round(s.used * 100)}
                    >
                      <span
                        className="absolute inset-y-0 left-0"
                        style={{
                          width: `${Math.min(s.used, 1) * 100}%`,
                          background: s.good ? "var(--ink)" : "var(--reef)",
                        }}
                      />
                      <span className="absolute inset-y-0 border-l border-lamp" style={{ left: "80%" }} />
                    </span>
                  </td>
                  <td className={`pl-4 ${s.good ? "" : "text-reef"}`}>
                    {s.good ? "" : "■ "}
                    {s.says}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </Panel>
  );
}
