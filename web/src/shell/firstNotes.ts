/** What is kept of a first run in this browser: whether it is wished for, and what was seen of each campaign. */
import { shared } from "../ui/shared";

const KEPT = "first run";
/** Whether it is wished for (“on”), put away (“off”), or neither. */
export const firstWish = shared<string | null>(localStorage.getItem(KEPT));
/** Shows the first run everywhere, or nowhere any more. */
export function wishFirstRun(on: boolean) {
  localStorage.setItem(KEPT, on ? "on" : "off");
  firstWish.set(on ? "on" : "off");
}

/** What was seen or made, by the campaign. */
export const firstNotes = shared<string[]>(JSON.parse(localStorage.getItem(`${KEPT} seen`) ?? "[]") as string[]);
/** Notes that a spectrum was looked at, or a report made. */
export function noteFirst(campaign: number | undefined, what: "spectrum" | "report") {
  const key = `${campaign} ${what}`;
  if (campaign === undefined || firstNotes.get().includes(key)) return;
  const all = [...firstNotes.get(), key].slice(-200);
  localStorage.setItem(`${KEPT} seen`, JSON.stringify(all));
  firstNotes.set(all);
}
