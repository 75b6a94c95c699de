/** Hue and dash of each trace: a ninth differs by its dash. */
const dashes: number[][] = [[], [6, 3], [2, 2], [8, 3, 2, 3], [10, 4], [4, 2], [1, 3], [6, 2, 1, 2]];

/** The colour a token has now. */
export const colour = (token: string) =>
  getComputedStyle(document.documentElement).getPropertyValue(`--${token}`).trim();

export const traceColour = (i: number) => colour(`t${(i % 8) + 1}`);
export const traceDash = (i: number) => dashes[(i + Math.floor(i / 8)) % 8] ?? [];
/** The same dash for an SVG line in a legend. */
export const dashText = (i: number) => traceDash(i).join(" ");
