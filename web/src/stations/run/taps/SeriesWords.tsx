/** What is hit, how often, and what a hit must be, as a sentence; each change is held against the rig. */
import { useState } from "react";
import type { Channel } from "../../../api/client";
import type { TapPlan } from "../../../api/taps";
import { ChannelsWord } from "../../../ui/ChannelsWord";
import { NumberWord, RangeWord } from "../../../ui/EntryWord";
import { short } from "../../../ui/format";
import { ChosenWord } from "../../../ui/Word";
import { PointsDialog } from "./PointsDialog";
import { hammers, movers, usualLimits } from "./usual";

type Props = {
  plan: TapPlan;
  channels: Channel[];
  lineHz: number | undefined;
  /** Takes a change; a rejected promise keeps what was typed with the reason. */
  onSet: (plan: TapPlan) => Promise<unknown>;
  onError: (e: Error | undefined) => void;
};

const ms = (s: number) => (s < 0.1 ? `${short(s * 1000)} ms` : `${short(s)} s`);

export function SeriesWords({ plan, channels, lineHz, onSet, onError }: Props) {
  const [listing, setListing] = useState(false);
  const set = (part: Partial<TapPlan>) => onSet({ ...plan, ...part });
  // What is chosen from a list has no place beside it where a refusal could stand.
  const choose = (part: Partial<TapPlan>) => {
    onError(undefined);
    set(part).catch(onError);
  };
  const hammer = channels.find((c) => c.input === plan.force);
  const names = plan.moving?.map((i) => channels.find((c) => c.input === i)?.name ?? `input ${i}`);
  const goes = plan.roving === "response";
  const { least_n, most_n } = plan.limits ?? {};
  const limits = (part: Partial<NonNullable<TapPlan["limits"]>>) =>
    set({ limits: { ...usualLimits, ...plan.limits, ...part } });
  return (
    <section aria-label="The series" className="leading-7">
      The hammer on{" "}
      <ChosenWord
        label="Hammer"
        value={plan.force}
        options={hammers(channels).map((c) => ({ value: c.input, says: `${c.label} ${c.name}`, face: c.name }))}
        onSet={(force) => choose({ force })}
        empty={`input ${plan.force}`}
      />{" "}
      {goes && <>hits {hammer?.point ? `${hammer.point} ${hammer.direction}` : "no point yet"}, and </>}
      <ChosenWord
        label="What moves"
        value={plan.roving}
        options={[
          { value: "response" as const, says: "the sensor moves" },
          { value: "hammer" as const, says: "moves from point to point" },
        ]}
        onSet={(roving) =>
          choose({
            roving,
            moving:
              roving === "hammer"
                ? []
                : movers(channels)
                    .slice(0, 1)
                    .map((c) => c.input),
          })
        }
      />{" "}
      {goes && (
        <>
          on{" "}
          <ChannelsWord
            label="Sensors that move"
            face={names?.join(", ") || "no sensor"}
            inputs={plan.moving ?? []}
            channels={movers(channels)}
            onSet={(moving) => choose({ moving })}
            width="max-w-60"
          />
          ,{" "}
        </>
      )}
      through{" "}
      <button type="button" className="word" aria-label="Points of the series" onClick={() => setListing(true)}>
        {plan.points.length === 1 ? "1 point" : `${plan.points.length} points`}
      </button>
      , <NumberWord label="Hits a point" value={plan.hits} low={1} high={100} whole onSet={(hits) => set({ hits })} />{" "}
      hits a point. A hit counts from{" "}
      <NumberWord
        label="Force of a hit"
        value={plan.level_n}
        unit="N"
        above={0}
        onSet={(level_n) => set({ level_n })}
      />{" "}
      rising; a take keeps{" "}
      <NumberWord
        label="Before a hit"
        value={plan.pre_s}
        unit="s"
        low={0}
        high={10}
        show={ms}
        onSet={(pre_s) => set({ pre_s })}
      />{" "}
      before it and lasts{" "}
      <NumberWord
        label="Length of a take"
        value={plan.length_s}
        unit="s"
        above={0}
        high={120}
        show={ms}
        onSet={(length_s) => set({ length_s })}
      />
      {lineHz !== undefined && (
        <>
          , which gives lines <span className="num">{short(lineHz)} Hz</span> apart
        </>
      )}
      . It is good with one peak, at least{" "}
      <NumberWord
        label="Least force"
        value={least_n}
        unit="N"
        none="any force"
        above={0}
        onSet={(n) => limits({ least_n: n ?? null })}
      />{" "}
      and at most{" "}
      <NumberWord
        label="Most force"
        value={most_n}
        unit="N"
        none="any force"
        above={0}
        onSet={(n) => limits({ most_n: n ?? null })}
      />{" "}
      and nothing over range, and accepted{" "}
      <ChosenWord
        label="Accepted"
        value={plan.accept ?? "next_hit"}
        options={[
          { value: "next_hit" as const, says: "by the next hit" },
          { value: "key" as const, says: "by a key" },
          { value: "itself" as const, says: "by itself" },
        ]}
        onSet={(accept) => choose({ accept })}
      />
      . Wanted is{" "}
      <RangeWord
        label="Wanted band"
        value={plan.band_hz as [number, number]}
        unit="Hz"
        low={0}
        onSet={(band_hz) => set({ band_hz })}
      />{" "}
      by{" "}
      <ChosenWord
        label="Estimator"
        value={plan.estimator ?? "h1"}
        options={[
          { value: "h1" as const, says: "H1: noise in the answer", face: "H1" },
          { value: "h2" as const, says: "H2: noise in the force", face: "H2" },
          { value: "hv" as const, says: "Hv: noise in both", face: "Hv" },
        ]}
        onSet={(estimator) => choose({ estimator })}
      />
      , with a force window of{" "}
      <NumberWord
        label="Force window"
        value={plan.force_window?.length_s}
        unit="s"
        none="none"
        above={0}
        show={ms}
        onSet={(s) => set({ force_window: s ? { length_s: s, before_s: plan.pre_s / 2, taper_s: s / 10 } : null })}
      />{" "}
      and an exponential one of{" "}
      <NumberWord
        label="Exponential window"
        value={plan.exponential_window?.decay_s}
        unit="s"
        none="none"
        above={0}
        show={ms}
        onSet={(s) => set({ exponential_window: s ? { decay_s: s } : null })}
      />
      .
      {listing && (
        <PointsDialog
          points={plan.points}
          onClose={() => setListing(false)}
          onSet={async (points) => {
            await set({ points });
            setListing(false);
          }}
        />
      )}
    </section>
  );
}
