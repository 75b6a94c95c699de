/** Numbers as an engineer reads them: four digits, real minus sign, thin space before the unit. */
// A narrow space that does not break a number from its unit.
const THIN = "\u202f";
const MINUS = "\u2212";

/** A number with so many significant digits, without exponent where that stays readable. */
export function digits(x: number | null | undefined, n = 4): string {
  if (x === null || x === undefined || !Number.isFinite(x)) return "–";
  if (x === 0) return "0";
  const size = Math.abs(x);
  if (size >= 1e6 || size < 1e-4) {
    const [mantissa = "", exponent = ""] = x.toExponential(n - 1).split("e");
    return `${mantissa}×10${superscript(Number(exponent))}`.replace("-", MINUS);
  }
  const decimals = Math.max(0, n - 1 - Math.floor(Math.log10(size)));
  return grouped(x.toFixed(Math.min(decimals, 8)));
}

function superscript(x: number): string {
  return String(x).replace(/[-0-9]/g, (c) => (c === "-" ? "⁻" : "⁰¹²³⁴⁵⁶⁷⁸⁹".charAt(Number(c))));
}

function grouped(text: string): string {
  const [whole = "", part] = text.split(".");
  const spaced = whole.replace(/\B(?=(\d{3})+(?!\d))/g, whole.replace("-", "").length > 4 ? THIN : "");
  return (part === undefined ? spaced : `${spaced}.${part}`).replace("-", MINUS);
}

/** A whole number with thin spaces. */
export const whole = (x: number) => grouped(Math.round(x).toFixed(0));

/** A number with its unit. */
export const withUnit = (x: number | null | undefined, unit: string, n = 4) => `${digits(x, n)}${THIN}${unit}`;

/** A number with its sign, two digits. */
export const signed = (x: number) => `${x > 0 ? "+" : ""}${digits(x, 2)}`;

/** A plain number as it stands in an input. */
export const plain = (x: number) => String(Number(x.toPrecision(12)));

/** Bytes in decimal prefixes. */
export function bytes(x: number | null | undefined): string {
  if (x === null || x === undefined || !Number.isFinite(x)) return "unknown";
  const steps = ["B", "kB", "MB", "GB", "TB"];
  let k = 0;
  while (Math.abs(x) >= 1000 && k < steps.length - 1) {
    x /= 1000;
    k += 1;
  }
  return withUnit(x, steps[k] ?? "B", 3);
}

/** A length of time in words an engineer uses. */
export function span(s: number | null | undefined): string {
  if (s === null || s === undefined || !Number.isFinite(s)) return "unknown";
  if (s < 120) return `${short(s)}${THIN}s`;
  const h = Math.floor(s / 3600);
  const min = Math.round((s % 3600) / 60);
  if (h >= 48) return `${whole(h / 24)}${THIN}days`;
  return h > 0 ? `${h}${THIN}h ${min}${THIN}min` : `${min}${THIN}min`;
}

/** Elapsed time as a clock. */
export function clock(s: number): string {
  const two = (x: number) => String(x).padStart(2, "0");
  return `${two(Math.floor(s / 3600))}:${two(Math.floor(s / 60) % 60)}:${(s % 60).toFixed(1).padStart(4, "0")}`;
}

/** A sample rate in kHz where that is shorter. */
export const rate = (hz: number) => (hz >= 1000 ? `${short(hz / 1000)}${THIN}kHz` : `${short(hz)}${THIN}Hz`);

/** Digits without trailing zeros, for axes and sentences. */
export function short(x: number, n = 4): string {
  const [number = "", power] = digits(x, n).split("×");
  const text = number.includes(".") ? number.replace(/0+$/, "").replace(/\.$/, "") : number;
  if (power === undefined) return text;
  return /^\D?1$/.test(text) ? text.replace("1", power) : `${text}×${power}`;
}

/** Name and unit as an axis or the head of a column says them; what is missing is left out. */
export const axisName = (name: string | undefined, unit: string | undefined) => [name, unit].filter(Boolean).join(", ");

const two = (n: number) => String(n).padStart(2, "0");

/** A day, as everywhere in files and tables: 2026-11-29. */
export function day(at: string | number): string {
  const t = new Date(at);
  return `${t.getFullYear()}-${two(t.getMonth() + 1)}-${two(t.getDate())}`;
}

/** A day with its time, to the minute or the second, of this machine's zone. */
export function moment(at: string | number, seconds = false): string {
  const t = new Date(at);
  return `${day(at)} ${two(t.getHours())}:${two(t.getMinutes())}${seconds ? `:${two(t.getSeconds())}` : ""}`;
}
