/** How the specimen is seen to move, as a sentence. */
import type { RunDetail } from "../../../api/client";
import { NumberWord, RangeWord } from "../../../ui/EntryWord";
import { ChosenWord } from "../../../ui/Word";
import { type How, sensorsOf, UNITS, type Wish } from "./recipe";

type Props = { run: RunDetail; wish: Wish; onWish: (part: Partial<Wish>) => void };

/** A stretch that is short enough to be seen moment by moment, s. */
const SHORT = 1;

const HOWS: { value: How; says: string }[] = [
  { value: "frequency", says: "at a frequency of" },
  { value: "band", says: "in the band" },
  { value: "order", says: "at the order" },
  { value: "time", says: "moment by moment, in the band" },
];

export function DeflectionWords({ run, wish, onWish }: Props) {
  const named = (channel: number) => run.channels.find((c) => c.channel === channel)?.recorded.name ?? "";
  const channels = sensorsOf(run).map((c) => ({ value: c, says: named(c) }));
  const long = wish.stretch[1] - wish.stretch[0] > 5 * SHORT;
  const how = (to: How) =>
    onWish({
      how: to,
      ...(to === "time" && long ? { stretch: [wish.stretch[0], wish.stretch[0] + SHORT] as [number, number] } : {}),
    });
  return (
    <section aria-label="How the specimen is seen to move" className="leading-7">
      How <span className="num">{channels.length}</span> sensors of run {run.number} move together between{" "}
      <RangeWord
        label="Stretch"
        value={wish.stretch}
        unit="s"
        low={0}
        high={run.duration_s}
        onSet={(stretch) => onWish({ stretch })}
      />
      , <ChosenWord label="How" value={wish.how} options={HOWS} onSet={how} />{" "}
      {wish.how === "frequency" && (
        <NumberWord
          label="Frequency"
          value={wish.frequency_hz}
          unit="Hz"
          above={0}
          onSet={(frequency_hz) => onWish({ frequency_hz })}
        />
      )}
      {(wish.how === "band" || wish.how === "time") && (
        <RangeWord label="Band" value={wish.band_hz} unit="Hz" above={0} onSet={(band_hz) => onWish({ band_hz })} />
      )}
      {wish.how === "order" && (
        <>
          <NumberWord label="Order" value={wish.order} above={0} high={1000} onSet={(order) => onWish({ order })} /> of
          the shaft whose{" "}
          <NumberWord
            label="Pulses a revolution"
            value={wish.tacho.pulses_per_rev}
            above={0}
            onSet={(pulses_per_rev) => onWish({ tacho: { ...wish.tacho, pulses_per_rev } })}
          />{" "}
          pulses a revolution come on{" "}
          <ChosenWord
            label="Tachometer"
            value={wish.tacho.channel}
            options={run.channels.map((c) => ({ value: c.channel, says: c.recorded.name }))}
            onSet={(channel) => onWish({ tacho: { ...wish.tacho, channel } })}
          />
        </>
      )}
      {wish.how !== "time" && (
        <>
          , as seen from{" "}
          <ChosenWord
            label="Reference"
            value={wish.reference}
            options={channels}
            onSet={(reference) => onWish({ reference })}
          />
        </>
      )}
      , in{" "}
      <ChosenWord
        label="Unit"
        value={wish.unit}
        options={[...new Set([wish.unit, ...UNITS])].map((u) => ({ value: u, says: u }))}
        onSet={(unit) => onWish({ unit })}
      />
      {(wish.how === "frequency" || wish.how === "band") && (
        <>
          , by blocks of{" "}
          <NumberWord
            label="Block"
            value={wish.block}
            unit="samples"
            low={16}
            high={2 ** 24}
            whole
            onSet={(block) => onWish({ block })}
          />
        </>
      )}
      .
    </section>
  );
}
