/** Files to disk and texts to the clipboard. */
import { csvOf } from "./tables";

export function saveBlob(blob: Blob, name: string) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  // The browser reads it after the click.
  window.setTimeout(() => URL.revokeObjectURL(link.href), 60_000);
}

/** Saves a table with the mark by which spreadsheets know its letters. */
export const saveCsv = (lines: string[][], name: string) =>
  saveBlob(new Blob(["\ufeff", csvOf(lines)], { type: "text/csv;charset=utf-8" }), `${name}.csv`);

/** Puts a text on the clipboard; over plain http by way of a selection, as browsers allow no other there. */
export async function copyText(text: string) {
  if (navigator.clipboard?.writeText) {
    try {
      return await navigator.clipboard.writeText(text);
    } catch {
      // Not allowed here: the older way is.
    }
  }
  const area = document.createElement("textarea");
  area.value = text;
  area.style.position = "fixed";
  area.style.opacity = "0";
  const before = document.activeElement as HTMLElement | null;
  document.body.append(area);
  area.select();
  const done = document.execCommand("copy");
  area.remove();
  before?.focus();
  if (!done) throw new Error("The browser does not let the page write to the clipboard here.");
}
