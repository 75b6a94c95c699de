import { useState } from "react";
import type { Plan, PlanBody } from "../../api/client";
import { usePlan, useRig, useSavePlan } from "../../api/queries";
import { useCampaign } from "../../shell/useCampaign";
import { bytes, digits, plain, rate, short, span, whole, withUnit } from "../../ui/format";
import { Empty, Panel, Wrong } from "../../ui/Panel";
import { ChosenWord, TypedWord } from "../../ui/Word";

const blocks = Array.from({ length: 13 }, (_, k) => 2 ** (k + 8));

/** A number as typed, with or without a unit of time. */
function seconds(text: string): number {
  const m = text
    .trim()
    .replace(",", ".")
    .match(/^([-\d.]+)\s*(ms|s|min|h)?$/);
  const by = { ms: 1e-3, s: 1, min: 60, h: 3600 }[m?.[2] ?? "s"] ?? 1;
  const n = Number(m?.[1]) * by;
  if (!m || !Number.isFinite(n) || n <= 0) {
    throw new Error(`duration is “${text}”; allowed is a time above 0, such as 30 s, 5 min or 1.5 h`);
  }
  return n;
}

/** Plan: how fast, how long, and what follows from it. */
export function PlanStation() {
  const { id } = useCampaign();
  const plan = usePlan(id);
  const rig = useRig(id).data;
  const save = useSavePlan(id);
  const [error, setError] = useState<Error>();
  if (!plan.data) return plan.error ? <Wrong error={plan.error} /> : <Empty says="The plan is being read." />;
  const body = plan.data;
  const p = body.plan;
  const set = (part: Partial<Plan>) => {
    setError(undefined);
    return save.mutateAsync({ ...p, ...part });
  };
  const choose = (part: Partial<Plan>) => {
    set(part).catch(setError);
  };
  const rates = body.rates_hz.includes(p.sample_rate_hz) ? body.rates_hz : [...body.rates_hz, p.sample_rate_hz];
  const after = p.length.ends === "after" ? p.length : undefined;

  return (
    <div className="flex min-h-0 flex-1 flex-col gap-3">
      <Timing body={body} />
      <Wrong error={error} />
      <div className="grid min-h-0 flex-1 grid-cols-[1.3fr_1fr_1fr] gap-3">
        <Panel title="What is recorded">
          <div className="px-3 pb-3 text-[16px] leading-9">
            Record all <b>{body.sums.channels} channels</b> that are on at{" "}
            <ChosenWord
              label="Sample rate"
              value={p.sample_rate_hz}
              options={[...rates].sort((a, b) => b - a).map((r) => ({ value: r, says: rate(r) }))}
              onSet={(sample_rate_hz) => choose({ sample_rate_hz })}
            />
            , from the moment <b>Record</b> is pressed,{" "}
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
            {after && (
              <TypedWord
                label="Duration"
                value={`${plain(after.duration_s)} s`}
                onSet={async (t) => set({ length: { ends: "after", duration_s: seconds(t) } })}
              />
            )}
            .
            <br />
            Call the run{" "}
            <TypedWord
              label="Name of the run"
              value={p.run_kind ?? ""}
              width="22ch"
              onSet={(run_kind) => set({ run_kind })}
              plain
            />
            .
            <br />
            Spectra of{" "}
            <ChosenWord
              label="Block"
              value={p.block ?? 32768}
              options={blocks.map((b) => ({ value: b, says: whole(b) }))}
              onSet={(block) => choose({ block })}
            />{" "}
            samples a block have lines <b className="num">{withUnit(body.sums.line_spacing_hz, "Hz", 3)}</b> apart; a
            block takes <b className="num">{withUnit(body.sums.block_s, "s", 3)}</b>
            {after && body.sums.block_s > after.duration_s && (
              <span className="text-lamp">
                {" "}
                ▲ and is longer than the run: no spectrum of this resolution can be made from it
              </span>
            )}
            .
          </div>
        </Panel>
        <Panel title="What follows">
          <Sums body={body} />
        </Panel>
        <Panel title="Range and step">
          <div className="min-h-0 overflow-auto px-3 pb-2">
            <table className="w-full font-narrow text-[13px]">
              <thead className="text-left text-soft">
                <tr>
                  <th className="font-normal">Channel</th>
                  <th className="text-right font-normal">Full scale, pk</th>
                  <th className="text-right font-normal">Step</th>
                </tr>
              </thead>
              <tbody>
                {rig?.rig.channels
                  .filter((c) => c.on)
                  .map((c) => (
                    <tr key={c.input} className="border-t border-rule">
                      <td className="max-w-28 truncate">{c.name}</td>
                      <td className="num text-right">
                        {digits(c.full_scale, 3)} {c.unit}
                      </td>
                      <td className="num pl-2 text-right">{digits(c.converter_step, 2)}</td>
                    </tr>
                  ))}
              </tbody>
            </table>
          </div>
        </Panel>
      </div>
    </div>
  );
}

function Sums({ body }: { body: PlanBody }) {
  const s = body.sums;
  const rows: [string, string][] = [
    ["Samples a channel", s.samples ? whole(s.samples) : "open"],
    ["Clean up to", withUnit(s.clean_to_hz / 1000, "kHz")],
    ["Nyquist", withUnit(s.nyquist_hz / 1000, "kHz")],
    ["Size, about", s.size_bytes ? bytes(s.size_bytes) : "open"],
    ["Size an hour, about", bytes(s.size_per_hour_bytes)],
    ["Room on disk for", span(s.room_s)],
  ];
  const short_of_room = s.room_s && body.plan.length.ends === "after" && body.plan.length.duration_s > s.room_s;
  return (
    <dl className="grid grid-cols-[1fr_auto] px-3 pb-3">
      {rows.map(([name, value]) => (
        <div key={name} className="col-span-2 grid grid-cols-subgrid border-b border-rule py-1">
          <dt className="text-[13px]">{name}</dt>
          <dd className="num text-right">{value}</dd>
        </div>
      ))}
      {short_of_room && (
        <p className="col-span-2 pt-2 text-[13px] text-reef">
          ■ The disk is full before the run ends. Shorten it or make room.
        </p>
      )}
    </dl>
  );
}

/** The recording drawn along time. */
function Timing({ body }: { body: PlanBody }) {
  const { plan, sums } = body;
  const duration = plan.length.ends === "after" ? plan.length.duration_s : undefined;
  const shown = (duration ?? 60) * 1.08;
  const x = (t: number) => 150 + (t / shown) * 980;
  const step = 10 ** Math.floor(Math.log10(shown / 4));
  const each = [1, 2, 5, 10].map((k) => k * step).find((s) => shown / s <= 9) ?? step * 10;
  const ticks = Array.from({ length: Math.floor(shown / each) + 1 }, (_, k) => k * each);
  const block = Math.max((sums.block_s / shown) * 980, 1);
  return (
    <Panel
      title={plan.run_kind || "A run"}
      says={duration ? `one take of ${span(duration)}` : "one take, until somebody stops it"}
    >
      <svg viewBox="0 0 1154 128" className="w-full">
        <title>The recording along time</title>
        <text x="14" y="53" fontSize="13" fill="var(--ink)">
          All {sums.channels}, {rate(plan.sample_rate_hz)}
        </text>
        <rect x={x(0)} y="32" width={(duration ? x(duration) : 1150) - x(0)} height="32" fill="var(--ink)" />
        {!duration && <path d="M1142 32l8 8-8 8 8 8-8 8h12V32z" fill="var(--sheet)" />}
        <text x={x(0) + 10} y="53" fontSize="13" fill="var(--sheet)" className="num">
          {duration ? span(duration) : "from Record until Stop"}
        </text>
        <rect x={x(0)} y="68" width={block} height="7" fill="var(--harbour)" />
        <text x={x(0) + block + 8} y="76" fontSize="12" fill="var(--ink-soft)">
          one block, {withUnit(sums.block_s, "s", 3)}
        </text>
        <path d={`M${x(0)} 20V84m0-64h62l-6 7 6 7h-62`} fill="none" stroke="var(--magenta)" strokeWidth="1.5" />
        <text x={x(0) + 6} y="31" fontSize="11" fill="var(--magenta)" className="num">
          Record
        </text>
        <path d={`M${x(0)} 96H1140`} stroke="var(--ink)" />
        {ticks.map((t) => (
          <g key={t}>
            <path d={`M${x(t)} 96v5`} stroke="var(--ink)" />
            <text x={x(t)} y="114" fontSize="11" textAnchor="middle" fill="var(--ink-soft)" className="num">
              {short(t)}
            </text>
          </g>
        ))}
        <text x="1140" y="126" fontSize="11" textAnchor="end" fill="var(--ink-soft)">
          s after Record
        </text>
      </svg>
    </Panel>
  );
}
