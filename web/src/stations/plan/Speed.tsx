/** Tachometers with their pulse train against the threshold; encoders; the pulse output. */
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, type Schema, told } from "../../api/client";
import { useStatus } from "../../api/live";
import { driveOutput } from "../../api/output";
import { Button } from "../../ui/Button";
import { pen, useCanvas } from "../../ui/canvas";
import { NumberWord } from "../../ui/EntryWord";
import { digits, withUnit } from "../../ui/format";
import { Empty, Panel, Wrong } from "../../ui/Panel";
import { useTheme } from "../../ui/theme";
import { ChosenWord } from "../../ui/Word";
import { quality } from "../run/panes/SpeedPane";
import { Encoder } from "./Encoder";
import type { PlanProps } from "./planProps";
import { drawPulses } from "./pulses";

type Tachometer = Schema["Tachometer"];

export function Speed(props: PlanProps) {
  const { body, channels, set } = props;
  const [error, setError] = useState<Error>();
  const tachos = body.plan.tachos ?? [];
  const tried: PlanProps["set"] = (part, removed) => {
    setError(undefined);
    const done = set(part, removed);
    done.catch(setError);
    return done;
  };
  const write = (to: Tachometer[], removed?: string) => tried({ tachos: to }, removed);
  const free = channels.filter((c) => !tachos.some((t) => t.input === c.input));
  // A voltage is the likeliest to carry pulses.
  const likely = free.find((c) => c.quantity === "voltage") ?? free[0];
  const add = () =>
    likely &&
    write([
      ...tachos,
      {
        input: likely.input,
        threshold: 1,
        hysteresis: 0.2,
        unit: likely.unit,
        slope: "rising",
        pulses_per_rev: 1,
        missing_teeth: 0,
        uneven: false,
        supply_v: 0,
      },
    ]).catch(() => undefined);
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-3 overflow-auto">
      <Wrong error={error} />
      {tachos.length === 0 && (
        <Panel title="Tachometer" className="min-h-52">
          <Empty says="No tachometer yet. Orders, speed triggers and Bode plots need one.">
            <Button look="main" disabled={!likely} onClick={add}>
              Set up a tachometer
            </Button>
          </Empty>
        </Panel>
      )}
      {tachos.map((t, i) => (
        <Tacho
          key={t.input}
          tacho={t}
          channels={channels}
          onSet={(to) => write(tachos.map((x, k) => (k === i ? to : x)))}
          onClose={() =>
            write(
              tachos.filter((_, k) => k !== i),
              "Tachometer removed",
            ).catch(() => undefined)
          }
        />
      ))}
      {tachos.length > 0 && (
        <Button look="link" className="self-start" disabled={!likely} onClick={add}>
          Add a tachometer
        </Button>
      )}
      <div className="grid grid-cols-2 gap-3">
        <Encoder {...props} set={tried} />
        <PulseOutput />
      </div>
    </div>
  );
}

function Tacho({
  tacho: t,
  channels,
  onSet,
  onClose,
}: {
  tacho: Tachometer;
  channels: PlanProps["channels"];
  onSet: (to: Tachometer) => Promise<unknown>;
  onClose: () => void;
}) {
  const [seconds, setSeconds] = useState(0.2);
  const [wrong, setWrong] = useState("");
  const canvas = useRef<HTMLCanvasElement>(null);
  useCanvas(canvas);
  const ask = (automatic: boolean) =>
    told(api.POST("/api/tachos/read", { body: { tacho: t, seconds: Math.max(seconds, 1), points: 0, automatic } }));
  const heard = useQuery({
    queryKey: ["tacho", t, seconds],
    queryFn: () => told(api.POST("/api/tachos/read", { body: { tacho: t, seconds, points: 700, automatic: false } })),
    refetchInterval: 250,
    retry: false,
    placeholderData: (last) => last,
  });
  // Speed and quality over a longer stretch than the picture shows.
  const read = useQuery({ queryKey: ["tacho-read", t], queryFn: () => ask(false), refetchInterval: 500, retry: false });
  const r = read.data?.reading;
  const theme = useTheme();
  // biome-ignore lint/correctness/useExhaustiveDependencies: other colours are drawn anew
  useEffect(() => {
    const to = canvas.current && pen(canvas.current);
    if (to && heard.data) drawPulses(to, heard.data.low, heard.data.high, t);
  }, [heard.data, t, theme]);
  const set = (part: Partial<Tachometer>) => {
    setWrong("");
    return onSet({ ...t, ...part });
  };
  const choose = (part: Partial<Tachometer>) => {
    set(part).catch((e: Error) => setWrong(e.message));
  };
  const automatic = () =>
    ask(true)
      .then((a) => set({ threshold: a.tacho.threshold, hysteresis: a.tacho.hysteresis }))
      .catch((e: Error) => setWrong(e.message));
  const number = (
    label: string,
    key: "threshold" | "hysteresis" | "pulses_per_rev" | "missing_teeth",
    unit: string,
  ) => (
    <NumberWord
      label={label}
      value={t[key] ?? 0}
      unit={unit}
      low={key === "threshold" ? undefined : 0}
      whole={key === "missing_teeth"}
      onSet={(x) => set({ [key]: x })}
    />
  );
  const link = useStatus()?.link;
  const offers = link?.link === "connected" ? link.front_end.inputs : [];
  const supplies = offers.find((o) => o.number === t.input)?.supplies_v ?? [];
  const facts: [string, string][] = [
    ["Frequency", withUnit(r?.frequency_hz, "Hz")],
    ["Period", withUnit(r?.period_s && r.period_s * 1e3, "ms")],
    ["Pulse width", withUnit(r?.width_s && r.width_s * 1e3, "ms")],
    ["Signal", r ? `${digits(r.low, 3)} to ${digits(r.high, 3)} ${t.unit}` : "–"],
  ];
  return (
    <Panel
      title="Tachometer"
      says={channels.find((c) => c.input === t.input)?.name ?? `input ${t.input}, which is off`}
      aside={
        <button type="button" aria-label="Remove the tachometer" className="hover:text-harbour" onClick={onClose}>
          ✕
        </button>
      }
    >
      <div className="grid grid-cols-[1fr_300px] gap-4 px-3 pb-3">
        <div>
          <p className="text-[15px] leading-8">
            Pulses on{" "}
            <ChosenWord
              label="Tachometer on"
              value={t.input}
              options={channels.map((c) => ({ value: c.input, says: `${c.label} ${c.name}`, face: c.name }))}
              onSet={(input) =>
                choose({ input, supply_v: 0, unit: channels.find((c) => c.input === input)?.unit ?? t.unit })
              }
            />
            ,{" "}
            <ChosenWord
              label="Slope"
              value={t.slope ?? "rising"}
              options={[
                { value: "rising", says: "rising" },
                { value: "falling", says: "falling" },
              ]}
              onSet={(slope) => choose({ slope })}
            />{" "}
            through {number("Threshold", "threshold", t.unit)}, hysteresis {number("Hysteresis", "hysteresis", t.unit)},{" "}
            {number("Pulses a turn", "pulses_per_rev", "")} pulses/rev, {number("Missing teeth", "missing_teeth", "")}{" "}
            of them missing,{" "}
            <ChosenWord
              label="Stripes"
              value={t.uneven ? "uneven" : "even"}
              options={[
                { value: "even", says: "evenly spaced" },
                { value: "uneven", says: "unevenly spaced, places learned" },
              ]}
              onSet={(v) => choose({ uneven: v === "uneven" })}
            />
            ; the sensor is fed with{" "}
            <ChosenWord
              label="Sensor supply"
              value={t.supply_v ?? 0}
              options={[0, ...supplies].map((v) => ({ value: v, says: v ? `${v} V` : "nothing" }))}
              onSet={(supply_v) => choose({ supply_v })}
            />
            .{" "}
            <Button look="plain" onClick={automatic}>
              Find the threshold
            </Button>
          </p>
          {(wrong || heard.error || read.error) && (
            <p role="alert" className="text-[13px] text-reef">
              {wrong || heard.error?.message || read.error?.message}
            </p>
          )}
          <div className="relative mt-1 h-40">
            <canvas ref={canvas} role="img" aria-label="Pulse train" className="absolute inset-0 h-full w-full" />
          </div>
          <p className="text-[12px] text-soft">
            the last{" "}
            <ChosenWord
              label="Shown length"
              value={seconds}
              options={[0.05, 0.1, 0.2, 0.5, 1, 2, 5].map((s) => ({ value: s, says: `${s} s` }))}
              onSet={setSeconds}
            />
            , {t.unit}; magenta: threshold, dashed: where it is armed again
          </p>
        </div>
        <div>
          <p className="leading-10">
            <span className="num text-[38px]">{digits(r?.rpm, 4)}</span> <span className="text-[18px]">rpm</span>
          </p>
          <p className="text-[13px] text-soft">{r ? quality(r) : ""}</p>
          {r?.says && <p className="text-[13px] text-lamp">▲ {r.says}</p>}
          <dl className="mt-2">
            {facts.map(([name, value]) => (
              <div key={name} className="flex justify-between border-t border-rule py-0.5">
                <dt className="text-[13px]">{name}</dt>
                <dd className="num">{value}</dd>
              </div>
            ))}
          </dl>
        </div>
      </div>
    </Panel>
  );
}

/** Pulses from the front end's output, to try counters with. */
function PulseOutput() {
  const [hz, setHz] = useState(50);
  const [volts, setVolts] = useState(5);
  const [wrong, setWrong] = useState("");
  // As the front end tells it, whoever drives it.
  const link = useStatus()?.link;
  const on = link?.link === "connected" && (link.units[0]?.output?.peak_v ?? 0) > 0;
  const drive = (peak_v: number) => {
    setWrong("");
    driveOutput(0, { hz, peak_v, pulses: true }).catch((e: Error) => setWrong(e.message));
  };
  return (
    <Panel title="Pulse output" says="a known train, to try a counter with">
      <div className="px-3 pb-3 text-[15px] leading-8">
        Pulses of <NumberWord label="Pulse voltage" value={volts} unit="V" low={0} high={10} onSet={setVolts} /> at{" "}
        <NumberWord label="Pulse rate" value={hz} unit="Hz" low={0.1} high={20_000} onSet={setHz} />.{" "}
        <Button onClick={() => drive(on ? 0 : volts)}>{on ? "Stop the pulses" : "Send pulses"}</Button>
        {wrong && (
          <p role="alert" className="text-[13px] leading-5 text-reef">
            {wrong}
          </p>
        )}
      </div>
    </Panel>
  );
}
