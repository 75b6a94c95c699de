/** A measured quantity as words: of which channel, what, in which band. */
import type { Channel, Schema } from "../../api/client";
import { NumberWord } from "../../ui/EntryWord";
import { ChosenWord } from "../../ui/Word";

export type Measure = Schema["Measure"];
type What = Measure["of"];
type Kind = What["what"] | "velocity";

const kinds: { value: Kind; says: string }[] = [
  { value: "rms", says: "rms" },
  { value: "band_rms", says: "rms in a band" },
  { value: "velocity", says: "velocity rms in a band" },
  { value: "peak", says: "peak" },
  { value: "peak_to_peak", says: "peak to peak" },
  { value: "crest", says: "crest factor" },
  { value: "mean", says: "mean" },
  { value: "frequency", says: "frequency of the largest line" },
  { value: "amplitude", says: "amplitude of the largest line" },
  { value: "time_outside", says: "time outside two levels" },
];

function freshWhat(kind: Kind, c: Channel | undefined): What {
  const level = Number(((c?.full_scale ?? 1) / 10).toPrecision(2));
  if (kind === "band_rms" || kind === "velocity")
    return { what: "band_rms", from_hz: 10, to_hz: 1000, velocity: kind === "velocity" };
  if (kind === "time_outside") return { what: kind, low: -level, high: level };
  return { what: kind };
}

export function MeasureWords({
  measure: m,
  channels,
  onSet,
}: {
  measure: Measure;
  channels: Channel[];
  onSet: (to: Measure) => Promise<unknown>;
}) {
  const channel = channels.find((c) => c.input === m.input);
  const of = (part: object) => onSet({ ...m, of: { ...m.of, ...part } as What });
  const choose = (to: Measure) => {
    onSet(to).catch(() => undefined);
  };
  const number = (label: string, value: number, key: string, unit: string) => (
    <NumberWord label={label} value={value} unit={unit} onSet={(x) => of({ [key]: x })} />
  );
  const kind: Kind = m.of.what === "band_rms" && m.of.velocity ? "velocity" : m.of.what;
  return (
    <>
      <ChosenWord
        label="Channel measured"
        value={m.input}
        options={channels.map((c) => ({ value: c.input, says: `${c.label} ${c.name}`, face: c.name }))}
        onSet={(input) => choose({ ...m, input })}
      />
      {", "}
      <ChosenWord
        label="Quantity"
        value={kind}
        options={kinds}
        onSet={(k) => choose({ ...m, of: freshWhat(k, channel) })}
      />
      {m.of.what === "band_rms" && (
        <>
          {" "}
          {number("Band from", m.of.from_hz, "from_hz", "Hz")} to {number("Band to", m.of.to_hz, "to_hz", "Hz")}
        </>
      )}
      {m.of.what === "time_outside" && (
        <>
          {" "}
          {number("Lower level", m.of.low, "low", channel?.unit ?? "")} to{" "}
          {number("Upper level", m.of.high, "high", channel?.unit ?? "")}
        </>
      )}
    </>
  );
}
