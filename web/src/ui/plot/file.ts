/** A plot as a file or on the clipboard: drawn by the server with the code that draws the report. */
import { api, type Schema, told } from "../../api/client";
import { copyText, saveBlob } from "../save";
import type { Axes, Curve, Level, Mark, Range } from "./types";

export type PlotFile = Schema["Plot"];
type Pane = PlotFile["panes"][number];
type Kind = "svg" | "png" | "csv" | "tsv";

const made = (kind: Kind, plot: PlotFile) =>
  told<unknown>(api.POST(`/api/plots/${kind}`, { body: plot, parseAs: "blob" })) as Promise<Blob>;

/** Name of a file: what the plot shows, in characters every disk takes. */
const named = (plot: PlotFile, ending: string) =>
  `${(plot.title ?? "plot").replace(/[^\p{L}\p{N}.,()-]+/gu, " ").trim() || "plot"}.${ending}`;

export async function savePlot(kind: "svg" | "png" | "csv", plot: PlotFile) {
  saveBlob(await made(kind, plot), named(plot, kind));
  return `Saved as ${named(plot, kind)}.`;
}

export async function copyPicture(plot: () => Promise<PlotFile>) {
  if (typeof ClipboardItem === "undefined" || !navigator.clipboard?.write)
    throw new Error("This browser puts pictures on the clipboard over https or on this machine only; save the PNG.");
  // Handed over before it is made, so that the browser still knows that it was asked for by a key or a click.
  await navigator.clipboard.write([new ClipboardItem({ "image/png": plot().then((p) => made("png", p)) })]);
  return "The picture is on the clipboard.";
}

export async function copyValues(plot: PlotFile) {
  const text = await (await made("tsv", plot)).text();
  await copyText(text);
  return `${text.split("\n").length - 1} rows are on the clipboard.`;
}

/** Numbers as they travel: what is none is null. */
export const numbers = (v: ArrayLike<number>) => Array.from(v, (x) => (Number.isFinite(x) ? x : null));

export const fileCurves = (curves: Curve[]): NonNullable<Pane["curves"]> =>
  curves.map((c) => ({
    name: c.name,
    values: numbers(c.high),
    low: c.low ? numbers(c.low) : null,
    steps: c.steps ?? false,
    spans: c.spans ?? false,
  }));

export type Shown = {
  label: string;
  x: ArrayLike<number>;
  xLabel: string;
  yLabel: string;
  curves: Curve[];
  levels: Level[];
  marks: Mark[];
  range: Range | undefined;
  axes: Axes;
  /** Width and height on the screen. */
  box: [number, number];
};

/** Width and height of a saved picture with the proportions of the one on the screen. */
export const sized = ([w, h]: [number, number]): [number, number] => [
  760,
  Math.min(Math.max(Math.round((760 * h) / Math.max(w, 1)), 240), 1400),
];

/** What is on the screen. */
export const fileOf = (s: Shown): PlotFile => ({
  title: s.label,
  size: sized(s.box),
  x: {
    label: s.xLabel,
    values: Array.from(s.x),
    log: s.axes.logX ?? false,
    from: s.range?.[0] ?? null,
    to: s.range?.[1] ?? null,
  },
  panes: [
    {
      label: s.yLabel,
      log: s.axes.logY ?? false,
      from: s.axes.y?.[0] ?? null,
      to: s.axes.y?.[1] ?? null,
      curves: fileCurves(s.curves),
      levels: s.levels.map((l) => ({ at: l.at, says: l.says })),
    },
  ],
  notes: s.marks.map((m) => ({ at: m.x, says: m.says })),
});
