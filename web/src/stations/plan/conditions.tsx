/** Conditions of a trigger as sentences whose words can be changed. */
import type { ReactNode } from "react";
import type { Channel, Plan, Schema } from "../../api/client";
import { NumberWord } from "../../ui/EntryWord";
import { ChosenWord } from "../../ui/Word";

export type Condition = Schema["Condition"];
type Kind = Condition["when"];

export const kinds: { value: Kind; says: string }[] = [
  { value: "level", says: "a level is crossed" },
  { value: "band", says: "a band is left or entered" },
  { value: "digital", says: "a logic signal changes" },
  { value: "pulse", says: "a tacho pulse comes" },
  { value: "speed", says: "the speed is in a window" },
  { value: "angle", says: "a level is reached in a window of the turn" },
  { value: "axes", says: "one of several axes reaches its limit" },
];

const round = (x: number) => Number(x.toPrecision(2));

/** A condition of a kind, with levels that fit the channel; nothing where the plan has no tachometer for it. */
export function freshCondition(kind: Kind, channels: Channel[], plan: Plan): Condition | string {
  const c = channels[0];
  if (!c) return "no channel is on; switch one on in the rig";
  const tenth = round(c.full_scale / 10);
  const tacho = plan.tachos?.[0]?.input;
  const volts = channels.find((x) => x.quantity === "voltage");
  const needs = "the plan has no tachometer; set one up under Speed and angle";
  switch (kind) {
    case "level":
      return { when: kind, input: c.input, level: tenth, hysteresis: round(tenth / 2), unit: c.unit, edge: "rising" };
    case "band":
      return { when: kind, input: c.input, low: -tenth, high: tenth, unit: c.unit, way: "leaving" };
    case "digital":
      return volts ? { when: kind, input: volts.input, edge: "rising" } : "no channel that is on measures voltage";
    case "pulse":
      return tacho ? { when: kind, tacho, every: 1 } : needs;
    case "speed":
      return tacho ? { when: kind, tacho, from_rpm: 1000, to_rpm: 3000, every_rpm: 100 } : needs;
    case "angle":
      return tacho ? { when: kind, tacho, from_deg: 0, to_deg: 90, input: c.input, level: tenth, unit: c.unit } : needs;
    case "axes":
      return {
        when: kind,
        of: channels.slice(0, 3).map((x) => ({ input: x.input, level: round(x.full_scale / 10), unit: x.unit })),
      };
  }
}

type Props = {
  condition: Condition;
  channels: Channel[];
  onSet: (condition: Condition) => Promise<unknown>;
};

/** One condition as a sentence. */
export function Sentence({ condition: c, channels, onSet }: Props): ReactNode {
  const set = (part: object) => onSet({ ...c, ...part } as Condition);
  const choose = (part: object) => {
    set(part).catch(() => undefined);
  };
  const channel = (input: number, key = "input") => (
    <ChosenWord
      label="Channel"
      value={input}
      options={channels.map((x) => ({ value: x.input, says: `${x.label} ${x.name}`, face: x.name }))}
      onSet={(to) => {
        const unit = channels.find((x) => x.input === to)?.unit;
        choose("unit" in c ? { [key]: to, unit } : { [key]: to });
      }}
    />
  );
  const number = (label: string, value: number, key: string, unit: string) => (
    <NumberWord label={label} value={value} unit={unit} onSet={(x) => set({ [key]: x })} />
  );
  const slope = (edge: string | undefined, rising: string, falling: string, either: string) => (
    <ChosenWord
      label="Slope"
      value={edge ?? "rising"}
      options={[
        { value: "rising", says: rising },
        { value: "falling", says: falling },
        { value: "either", says: either },
      ]}
      onSet={(to) => choose({ edge: to })}
    />
  );
  switch (c.when) {
    case "level":
      return (
        <>
          {channel(c.input)} {slope(c.edge, "rises through", "falls through", "crosses")}{" "}
          {number("Level", c.level, "level", c.unit)}, with{" "}
          {number("Hysteresis", c.hysteresis ?? 0, "hysteresis", c.unit)} hysteresis
        </>
      );
    case "band":
      return (
        <>
          {channel(c.input)}{" "}
          <ChosenWord
            label="Way"
            value={c.way ?? "leaving"}
            options={[
              { value: "leaving", says: "leaves" },
              { value: "entering", says: "enters" },
            ]}
            onSet={(way) => choose({ way })}
          />{" "}
          {number("Lower end", c.low, "low", c.unit)} to {number("Upper end", c.high, "high", c.unit)}
        </>
      );
    case "digital":
      return (
        <>
          {channel(c.input)} {slope(c.edge, "goes high", "goes low", "changes")}
        </>
      );
    case "pulse":
      return (
        <>
          every {number("Pulses", c.every ?? 1, "every", "")} pulse of {channel(c.tacho, "tacho")}
        </>
      );
    case "speed":
      return (
        <>
          {channel(c.tacho, "tacho")} is at {number("From", c.from_rpm, "from_rpm", "rpm")} to{" "}
          {number("To", c.to_rpm, "to_rpm", "rpm")}, {c.every_rpm ? "every " : ""}
          <NumberWord
            label="Step"
            value={c.every_rpm}
            none="at its entry"
            unit="rpm"
            above={0}
            onSet={(x) => set({ every_rpm: x ?? null })}
          />
        </>
      );
    case "angle":
      return (
        <>
          {channel(c.input)} reaches {number("Level", c.level, "level", c.unit)} between{" "}
          {number("From", c.from_deg, "from_deg", "°")} and {number("To", c.to_deg, "to_deg", "°")} of a turn of{" "}
          {channel(c.tacho, "tacho")}
        </>
      );
    case "axes":
      return (
        <>
          one of these reaches its limit:{" "}
          {c.of.map((a, i) => {
            const part = (p: object) => set({ of: c.of.map((x, k) => (k === i ? { ...x, ...p } : x)) });
            return (
              // biome-ignore lint/suspicious/noArrayIndexKey: an axis is its place in the list
              <span key={i}>
                {i > 0 && ", "}
                <ChosenWord
                  label={`Axis ${i + 1}`}
                  value={a.input}
                  options={channels.map((x) => ({ value: x.input, says: `${x.label} ${x.name}`, face: x.name }))}
                  onSet={(to) => {
                    part({ input: to, unit: channels.find((x) => x.input === to)?.unit }).catch(() => undefined);
                  }}
                />{" "}
                <NumberWord
                  label={`Limit of axis ${i + 1}`}
                  value={a.level}
                  unit={a.unit}
                  above={0}
                  onSet={(level) => part({ level })}
                />
              </span>
            );
          })}
        </>
      );
  }
}

/** The input whose waveform shows what a condition watches. */
export function watchedInput(c: Condition): number | undefined {
  if ("input" in c) return c.input;
  return "tacho" in c ? c.tacho : c.of[0]?.input;
}
