/** When takes begin, how long they are, who records them, and what follows. */
import { useState } from "react";
import { api, type Plan, told } from "../../api/client";
import { NumberWord } from "../../ui/EntryWord";
import { bytes, plain, rate, span, whole, withUnit } from "../../ui/format";
import { Panel, Wrong } from "../../ui/Panel";
import { ChosenWord, TypedWord } from "../../ui/Word";
import { PlanCautions } from "./PlanCautions";
import type { PlanProps } from "./planProps";
import { Recorders } from "./Recorders";
import { StartWhen } from "./StartWhen";
import { Timing } from "./Timing";

const blocks = Array.from({ length: 13 }, (_, k) => 2 ** (k + 8));

export function TakesPlan(props: PlanProps) {
  const { body, set, campaign } = props;
  const [error, setError] = useState<Error>();
  const p = body.plan;
  const choose = (part: Partial<Plan>) => {
    setError(undefined);
    set(part).catch(setError);
  };
  const rates = body.rates_hz.includes(p.sample_rate_hz) ? body.rates_hz : [...body.rates_hz, p.sample_rate_hz];
  const after = p.length.ends === "after" ? p.length : undefined;
  const lasting = async (text: string) => {
    const at = { params: { path: { id: campaign ?? 0 } }, body: { text } };
    const { duration_s } = await told(api.POST("/api/campaigns/{id}/plan/length", at));
    return set({ length: { ends: "after", duration_s } });
  };
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-3 overflow-auto">
      <Timing body={body} />
      <Wrong error={error} />
      <div className="grid min-h-0 flex-1 grid-cols-[1.25fr_1.1fr_0.9fr] gap-3">
        <StartWhen {...props} />
        <div className="flex min-h-0 flex-col gap-3">
          <Panel title="What is recorded">
            <div className="px-3 pb-2 text-[15px] leading-8">
              Sample at{" "}
              <ChosenWord
                label="Sample rate"
                value={p.sample_rate_hz}
                options={[...rates].sort((a, b) => b - a).map((r) => ({ value: r, says: rate(r) }))}
                onSet={(sample_rate_hz) => choose({ sample_rate_hz })}
              />
              , a take lasts{" "}
              <ChosenWord
                label="When it ends"
                value={p.length.ends}
                options={[
                  { value: "after", says: "for" },
                  { value: "when_stopped", says: "until stopped" },
                ]}
                onSet={(ends) =>
                  choose({ length: ends === "after" ? { ends, duration_s: after?.duration_s ?? 60 } : { ends } })
                }
              />{" "}
              {after && <TypedWord label="Duration" value={`${plain(after.duration_s)} s`} onSet={lasting} />}. Call the
              run{" "}
              <TypedWord
                label="Name of the run"
                value={p.run_kind ?? ""}
                width="18ch"
                onSet={(run_kind) => set({ run_kind })}
                plain
              />
              . Spectra of{" "}
              <ChosenWord
                label="Block"
                value={p.block ?? 32768}
                options={blocks.map((b) => ({ value: b, says: whole(b) }))}
                onSet={(block) => choose({ block })}
              />{" "}
              samples have lines <b className="num">{withUnit(body.sums.line_spacing_hz, "Hz", 3)}</b> apart.
            </div>
          </Panel>
          <Recorders {...props} />
        </div>
        <Follows {...props} />
      </div>
    </div>
  );
}

/** What follows from the plan: figures, sentences, what stands against it. */
function Follows({ campaign, body, set }: PlanProps) {
  const s = body.sums;
  const rows: [string, string][] = [
    ["Samples a channel and take", s.samples ? whole(s.samples) : "open"],
    ["Alias-free up to", withUnit(s.clean_to_hz / 1000, "kHz")],
    ["Nyquist", withUnit(s.nyquist_hz / 1000, "kHz")],
    ["All takes, about", s.size_bytes ? bytes(s.size_bytes) : "open"],
    ["Takes that fit", s.takes_that_fit === null || s.takes_that_fit === undefined ? "open" : whole(s.takes_that_fit)],
    ["Size an hour, about", bytes(s.size_per_hour_bytes)],
    ["Room on disk for", span(s.room_s)],
  ];
  return (
    <Panel title="What follows" className="overflow-auto">
      <dl className="grid grid-cols-[1fr_auto] px-3">
        {rows.map(([name, value]) => (
          <div key={name} className="col-span-2 grid grid-cols-subgrid border-b border-rule py-0.5">
            <dt className="text-[13px]">{name}</dt>
            <dd className="num text-right">{value}</dd>
          </div>
        ))}
      </dl>
      <PlanCautions campaign={campaign} set={set} />
      <div className="px-3 py-2 text-[13px] leading-5">
        {s.says.map((t) => (
          <p key={t}>{t}</p>
        ))}
        {s.against.map((t) => (
          <p key={t} className="text-reef">
            ■ {t}
          </p>
        ))}
        <p className="pt-1">
          Check frequency:{" "}
          <NumberWord
            label="A frequency that matters"
            what="the frequency"
            value={body.plan.named_hz}
            none="none"
            unit="Hz"
            above={0}
            width="10ch"
            onSet={(hz) => set({ named_hz: hz ?? null })}
          />
        </p>
        {s.recorders.map(
          (r) =>
            r.named && (
              <p key={r.name} className={r.named_clean ? "text-soft" : "text-lamp"}>
                {s.recorders.length > 1 && `${r.name}: `}
                {r.named}.
              </p>
            ),
        )}
      </div>
    </Panel>
  );
}
