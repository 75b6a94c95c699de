/** Whether two things say the same, whatever the order of their keys and with nothing in place of null. */
import { hashKey } from "@tanstack/react-query";

const bare = (x: unknown) =>
  hashKey([JSON.parse(JSON.stringify(x ?? null, (_, value) => value ?? undefined) ?? "null")]);

export const same = (a: unknown, b: unknown) => bare(a) === bare(b);
