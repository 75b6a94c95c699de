/** Texts of tables as spreadsheets take them. */

/** What a cell says: numbers as programs read them, not as eyes do. */
export function cellText(text: string): string {
  const clean = text.replace(/\s+/g, " ").trim();
  if (clean === "–") return "";
  const number = clean
    .replace(/[\u202f\u2009\u00a0 ]/g, "")
    .replace(/\u2212/g, "-")
    .replace(
      /×10([⁻⁰¹²³⁴⁵⁶⁷⁸⁹]+)/,
      (_, e: string) => `e${[...e].map((c) => (c === "⁻" ? "-" : "⁰¹²³⁴⁵⁶⁷⁸⁹".indexOf(c))).join("")}`,
    );
  return /^[-+]?\d+(\.\d+)?(e-?\d+)?$/.test(number) ? number : clean;
}

/** What would be a formula in a spreadsheet stays a text; a negative number stays a number. */
const guarded = (t: string) => (/^[=+@\t]|^-(?![\d.])/.test(t) ? `'${t}` : t);

export const tsvOf = (lines: string[][]) => lines.map((l) => l.map(guarded).join("\t")).join("\n");
export const csvOf = (lines: string[][]) =>
  lines
    .map((l) => l.map((t) => (/[",\n]/.test(t) ? `"${guarded(t).replaceAll('"', '""')}"` : guarded(t))).join(","))
    .join("\r\n");
