/** Complex curves as they are drawn. */
import type { Analysis } from "../api/client";

type Trace = Analysis["traces"][number];

/** Amplitude of a complex curve; the values of a real one as they are. */
export const amplitude = (t: Trace) => t.re?.map((re, i) => Math.hypot(re, t.im?.[i] ?? 0)) ?? t.values;
