/** Pairs of a reference check as they are read: one after the other, or stepped by the output. */
import { useEffect, useRef, useState } from "react";
import { api, type Fit, type Pair, told } from "../../../api/client";
import { driveOutput } from "../../../api/output";
import { withUnit } from "../../../ui/format";

export type Kind = "typed" | "table" | "channel" | "output";
export type ReadPair = Pair & { spread: number; hz: number };

/** How a sensor is checked. */
export type How = {
  kind: Kind;
  /** The level that is known, and levels from a list. */
  known: number;
  levels: number[];
  /** Steps of the output, V peak, and which front end drives it. */
  volts: number[];
  unit: number;
  /** The channel with the reference transducer, where one reads it. */
  reference: number | undefined;
  hz: number;
  settle_s: number;
  read_s: number;
};

export const bare = (pairs: Pair[]) => pairs.map(({ reference, reading }) => ({ reference, reading }));

export function usePairs(input: number, how: How) {
  const [pairs, setPairs] = useState<ReadPair[]>([]);
  const [unit, setUnit] = useState("m/s²");
  const [fit, setFit] = useState<Fit>();
  const [busy, setBusy] = useState("");
  const [error, setError] = useState<Error>();
  const halted = useRef(false);

  const fitted = async (all: Pair[]) =>
    setFit(all.length ? await told(api.POST("/api/reference/fit", { body: { input, pairs: bare(all) } })) : undefined);
  const one = async (so: ReadPair[], level: number | undefined) => {
    const reference_input = how.kind === "channel" || how.kind === "output" ? (how.reference ?? null) : null;
    const { hz, settle_s, read_s } = how;
    const body = { input, reference_input, hz, settle_s, read_s };
    const r = await told(api.POST("/api/reference/read", { body }));
    setUnit(r.unit);
    const pair = { reference: r.reference?.rms ?? level ?? 0, reading: r.reading.rms };
    const all = [...so, { ...pair, spread: r.reading.spread, hz: r.reading.hz }];
    setPairs(all);
    await fitted(all);
    return all;
  };
  const drive = (peak_v: number) => driveOutput(how.unit, { hz: how.hz, peak_v });
  const steps = async () => {
    let all = pairs;
    for (const [k, v] of how.volts.entries()) {
      if (halted.current) return;
      setBusy(`step ${k + 1} of ${how.volts.length}: ${withUnit(v, "V peak")}`);
      await drive(v);
      all = await one(all, undefined);
    }
  };
  const read = async () => {
    setError(undefined);
    halted.current = false;
    try {
      if (how.kind === "output") {
        try {
          await steps();
        } finally {
          await drive(0);
        }
      } else {
        const level = how.kind === "table" ? how.levels[pairs.length % how.levels.length] : how.known;
        setBusy(how.kind === "table" ? `set ${withUnit(level, `${unit} rms`)} and hold it` : "settling and reading");
        await one(pairs, how.kind === "channel" ? undefined : level);
      }
    } catch (e) {
      setError(e as Error);
    }
    setBusy("");
  };
  // Whoever leaves this view must not leave a shaker running: the steps end, and the output with them.
  useEffect(
    () => () => {
      halted.current = true;
    },
    [],
  );
  return {
    pairs,
    unit,
    fit,
    busy,
    error,
    setError,
    read,
    /** Steps no further; the output ends with the step. */
    halt: () => {
      halted.current = true;
    },
    leaveOut: (i: number) => {
      const left = pairs.filter((_, k) => k !== i);
      setPairs(left);
      fitted(left).catch(setError);
    },
    anew: () => {
      setPairs([]);
      setFit(undefined);
      setError(undefined);
    },
  };
}
