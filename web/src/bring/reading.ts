/** How a file is to be read: what the server guessed, and what was put right by hand. */
import type { Schema } from "../api/client";

export type Look = Schema["Look"];
export type Reading = Schema["FileReading"];
export type ReadChannel = Schema["ReadChannel"];

/** As the file says it. */
export const AS_IT_SAYS: Reading = {
  kind: "",
  started_at: null,
  sample_rate_hz: null,
  time_column: null,
  channels: [],
};

/** All channels as the file has them. */
export const channelsOf = (look: Look): ReadChannel[] =>
  look.channels.map((c) => ({
    source: c.source,
    name: c.name,
    unit: c.taken_as ?? c.unit,
    point: c.point,
    direction: c.direction,
    full_scale: null,
  }));

/** The reading with one channel changed; channels that were not named yet are, as the file has them. */
export function withChannel(look: Look, reading: Reading, source: number, to: Partial<ReadChannel>): Reading {
  const channels = reading.channels.length ? reading.channels : channelsOf(look);
  return { ...reading, channels: channels.map((c) => (c.source === source ? { ...c, ...to } : c)) };
}

/** The reading without a channel, or with it again, in the file's order. */
export function withTaken(look: Look, reading: Reading, source: number, on: boolean): Reading {
  const channels = reading.channels.length ? reading.channels : channelsOf(look);
  const own = channelsOf(look).find((c) => c.source === source);
  const left = channels.filter((c) => c.source !== source);
  const all = on && own ? [...left, own] : left;
  return { ...reading, channels: all.sort((a, b) => a.source - b.source) };
}

/** Whether a channel is brought in. */
export const isTaken = (reading: Reading, source: number) =>
  !reading.channels.length || reading.channels.some((c) => c.source === source);
