/** Watched quantities: what, caution, limit, hysteresis, delay; their trend; the alarms. */
import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api, type Schema, told } from "../../api/client";
import { useWatch } from "../../api/rounds";
import { NumberWord } from "../../ui/EntryWord";
import { axisName, digits, plain } from "../../ui/format";
import { Empty, Panel, Wrong } from "../../ui/Panel";
import { Plot } from "../../ui/plot/Plot";
import { ChosenWord } from "../../ui/Word";
import { Alarms, zoneLook } from "../run/panes/LimitsPane";
import { MeasureWords } from "./measures";
import type { PlanProps } from "./planProps";

type Watched = Schema["Watched"];

export function Limits({ body, channels, campaign, set }: PlanProps) {
  const [error, setError] = useState<Error>();
  const watch = useWatch(campaign).data;
  const [chosen, setChosen] = useState(0);
  const all = body.plan.watch ?? [];
  const write = (to: Watched[], removed?: string) => {
    setError(undefined);
    const done = set({ watch: to }, removed);
    done.catch(setError);
    return done;
  };
  const change = (i: number, part: Partial<Watched>) => write(all.map((w, k) => (k === i ? { ...w, ...part } : w)));
  // Which channel, the engineer says: a limit on the wrong one alarms for nothing, or not at all.
  const add = (input: number) => {
    const velocity = channels.find((c) => c.input === input)?.quantity === "acceleration";
    const of: Watched["measure"]["of"] = velocity
      ? { what: "band_rms", from_hz: 10, to_hz: 1000, velocity }
      : { what: "rms" };
    write([...all, { measure: { input, of }, hysteresis: 0.05, delay_s: 2, switches: false }]).catch(() => undefined);
  };
  const level = (i: number, key: "caution" | "limit", value: number | null | undefined) => (
    <NumberWord
      label={`${key} ${i + 1}`}
      what={`the ${key}`}
      value={value}
      none="none"
      unit={watch?.now[i]?.unit}
      show={plain}
      above={0}
      width="7ch"
      right
      onSet={(x) => change(i, { [key]: x ?? null })}
    />
  );
  return (
    <div className="grid min-h-0 flex-1 grid-rows-[auto_1fr] gap-3 overflow-auto">
      <Panel
        title="Watched quantities"
        says="measured twice a second over the last second, also while nothing is recorded"
      >
        <div className="px-3 pb-2 text-[13px]">
          {all.length > 0 && (
            <table className="w-full">
              <thead className="text-left text-soft">
                <tr>
                  <th className="font-normal">What</th>
                  <th className="text-right font-normal">Now</th>
                  <td />
                  <th className="text-right font-normal">Caution</th>
                  <th className="text-right font-normal">Limit</th>
                  <th className="text-right font-normal">Hysteresis</th>
                  <th className="text-right font-normal">Delay</th>
                  <th className="text-right font-normal">Above the limit</th>
                  <td />
                </tr>
              </thead>
              <tbody>
                {all.map((w, i) => {
                  const now = watch?.now[i];
                  const look = zoneLook[now?.zone ?? "good"];
                  return (
                    <tr
                      // biome-ignore lint/suspicious/noArrayIndexKey: a quantity is its place in the list
                      key={i}
                      className={`border-t border-rule ${i === chosen ? "bg-shoal" : ""}`}
                      onFocus={() => setChosen(i)}
                    >
                      <td className="py-0.5">
                        <MeasureWords
                          measure={w.measure}
                          channels={channels}
                          onSet={(measure) => change(i, { measure })}
                        />
                      </td>
                      <td className="num text-right text-[15px]">{digits(now?.value, 3)}</td>
                      <td className="pl-1">
                        {now?.unit} <span className={look.colour}>{look.shape}</span>
                      </td>
                      <td className="text-right">{level(i, "caution", w.caution)}</td>
                      <td className="text-right">{level(i, "limit", w.limit)}</td>
                      <td className="text-right">
                        <NumberWord
                          label={`Hysteresis ${i + 1}`}
                          what="the hysteresis"
                          value={Number(((w.hysteresis ?? 0) * 100).toPrecision(6))}
                          unit="%"
                          low={0}
                          high={90}
                          width="6ch"
                          right
                          onSet={(x) => change(i, { hysteresis: x / 100 })}
                        />
                      </td>
                      <td className="text-right">
                        <NumberWord
                          label={`Delay ${i + 1}`}
                          what="the delay"
                          value={w.delay_s ?? 0}
                          unit="s"
                          low={0}
                          high={3600}
                          width="6ch"
                          right
                          onSet={(delay_s) => change(i, { delay_s })}
                        />
                      </td>
                      <td className="text-right">
                        <ChosenWord
                          label={`Above the limit ${i + 1}`}
                          value={w.switches ? "output" : "told"}
                          options={[
                            { value: "told", says: "it is shown and logged", face: "log only" },
                            {
                              value: "output",
                              says: "shown, logged, and the digital output is on until it is back to normal",
                              face: "output on",
                            },
                          ]}
                          onSet={(v) => change(i, { switches: v === "output" }).catch(() => undefined)}
                        />
                      </td>
                      <td className="text-right">
                        <button
                          type="button"
                          aria-label={`Remove watched quantity ${i + 1}`}
                          className="px-1 hover:text-harbour"
                          onClick={() =>
                            write(
                              all.filter((_, k) => k !== i),
                              `Watched quantity ${i + 1} removed`,
                            ).catch(() => undefined)
                          }
                        >
                          ✕
                        </button>
                      </td>
                    </tr>
                  );
                })}
              </tbody>
            </table>
          )}
          <Wrong error={error} />
          <p>
            <ChosenWord
              label="Watch a quantity"
              value={0}
              empty={channels.length ? "Watch a quantity of …" : "No channel is on"}
              options={channels.map((c) => ({ value: c.input, says: `${c.label} ${c.name}` }))}
              onSet={(input) => input && add(input)}
            />{" "}
            {all.some((w) => w.caution == null && w.limit == null) && (
              <span className="text-lamp">▲ A quantity without caution and limit alarms never.</span>
            )}
          </p>
        </div>
      </Panel>
      <div className="grid min-h-0 grid-cols-[1.4fr_1fr] gap-3">
        <Trend campaign={campaign} watched={watch?.now[chosen]} plan={all[chosen]} />
        <Panel title="Alarms" says="newest first" className="min-h-0">
          <div className="min-h-0 flex-1 overflow-auto px-3 pb-2">
            <Alarms alarms={watch?.alarms ?? []} />
          </div>
        </Panel>
      </div>
    </div>
  );
}

const spans = [
  { value: 0.25, says: "quarter of an hour" },
  { value: 1, says: "hour" },
  { value: 24, says: "day" },
  { value: 168, says: "week" },
  { value: 720, says: "month" },
];

/** A watched quantity over time. */
function Trend({
  campaign,
  watched,
  plan,
}: {
  campaign: number | undefined;
  watched: Schema["WatchedNow"] | undefined;
  plan: Watched | undefined;
}) {
  const [hours, setHours] = useState(0.25);
  const name = watched?.watched ?? "";
  const key = watched?.key ?? "";
  const trend = useQuery({
    queryKey: ["trend", campaign, key, hours],
    enabled: campaign !== undefined && key !== "",
    refetchInterval: 10_000,
    queryFn: () =>
      told(
        api.GET("/api/campaigns/{id}/trend", {
          params: { path: { id: campaign ?? 0 }, query: { watched: key, hours } },
        }),
      ),
  });
  const points = trend.data;
  const unit_ms = hours > 1 ? 3.6e6 : 6e4;
  const x = useMemo(
    () => points?.map((p) => (new Date(p.at).getTime() - Date.now()) / unit_ms) ?? [],
    [points, unit_ms],
  );
  const curves = useMemo(
    () => [{ name: "trend", high: points?.map((p) => p.high) ?? [], low: points?.map((p) => p.low) ?? [] }],
    [points],
  );
  const levels = useMemo(
    () =>
      (["caution", "limit"] as const).flatMap((says) => {
        const at = plan?.[says];
        return at == null ? [] : [{ at, says }];
      }),
    [plan],
  );
  return (
    <Panel
      title="Trend"
      says={
        <>
          {name || "nothing watched"}, {watched?.unit}, the last{" "}
          <ChosenWord label="How far back" value={hours} options={spans} onSet={setHours} />
        </>
      }
      className="min-h-52"
    >
      {points && points.length > 0 ? (
        <Plot
          label="Trend"
          x={x}
          curves={curves}
          xLabel={hours > 1 ? "time before now, h" : "time before now, min"}
          yLabel={axisName(name, watched?.unit)}
          levels={levels}
          yMin={0}
        />
      ) : (
        <Empty says="A value is kept every ten seconds; the first ones are on their way." />
      )}
    </Panel>
  );
}
