/** Keys of the page: one list of what is bound where, one listener, nothing that acts twice. */
import { useEffect, useRef } from "react";
import { matchKeyBindingPress, parseKeybinding } from "tinykeys";
import { shared } from "../ui/shared";

export type Key = {
  /** As `Shift+S`, `Alt+1`, `Control+k`; one press. */
  key: string;
  /** What it does, as a list of keys says it. */
  says: string;
  run: (e: KeyboardEvent) => void;
  /** Acts while something is typed, too. */
  anywhere?: boolean;
};

type Scope = { name: string; keys: Key[] };

const scopes = shared<Scope[]>([]);

/** True while somebody types, picks from a list or answers a question: single keys must not start anything then. */
function typing(e: KeyboardEvent): boolean {
  const t = e.target as HTMLElement | null;
  const busy =
    "input:not([type=checkbox], [type=radio]), textarea, select, [contenteditable], [role=grid], [role=listbox], [role=dialog], [aria-haspopup]:not([aria-haspopup=false])";
  return !!t?.closest(busy) || document.querySelector("[role=dialog]") !== null;
}

const LETTERS = "single keys";
const letters = shared(localStorage.getItem(LETTERS) !== "off");

/** Whether keys without Ctrl or Alt act; whoever bumps the keyboard with a sleeve switches them off. */
export const useLetters = (): [boolean, (on: boolean) => void] => [
  letters.use(),
  (on) => {
    localStorage.setItem(LETTERS, on ? "on" : "off");
    letters.set(on);
  },
];

/** A key that a word could hold: such keys can be switched off. */
const isLetter = (key: string) => /^(Shift\+)?.$/.test(key);

window.addEventListener("keydown", (e) => {
  if (e.defaultPrevented || e.repeat || e.isComposing) return;
  const busy = typing(e);
  for (const scope of [...scopes.get()].reverse()) {
    for (const k of scope.keys) {
      const press = parseKeybinding(k.key)[0];
      if (!press || !matchKeyBindingPress(e, press)) continue;
      if (busy && !k.anywhere) continue;
      if (!letters.get() && isLetter(k.key)) continue;
      e.preventDefault();
      k.run(e);
      return;
    }
  }
});

/** Binds keys while mounted; what is mounted later comes first. */
export function useKeys(name: string, keys: Key[]) {
  const scope = useRef<Scope>({ name, keys });
  scope.current.keys = keys;
  useEffect(() => {
    const own = scope.current;
    scopes.set([...scopes.get(), own]);
    return () => scopes.set(scopes.get().filter((s) => s !== own));
  }, []);
}

/** What is bound now, by scope; read when the list is opened. */
export const useBound = scopes.use;

/** Keys of tables, plots and panels, which act where the focus is. */
export const local: { name: string; keys: [string, string][] }[] = [
  {
    name: "Channel table",
    keys: [
      ["← ↑ → ↓", "walk; with Shift select"],
      ["Enter", "edit, or just type; Esc gives up"],
      ["Ctrl+C, Ctrl+V", "copy and paste, with spreadsheets too"],
      ["Ctrl+D", "fill down; Ctrl+Shift+D counts up"],
      ["Del", "empty the cells"],
      ["Ctrl+Z, Ctrl+Y", "undo, redo"],
      ["Space", "switch the row on or off; Shift+Space selects it"],
      ["Ctrl+A", "select all"],
    ],
  },
  {
    name: "Drawing of the specimen",
    keys: [
      ["← ↑ → ↓", "turn"],
      ["+, −", "zoom"],
      ["F", "fit; 1 to 4 look from other sides"],
      ["N", "names of points"],
      ["click", "pick a point; with Shift one more"],
    ],
  },
  {
    name: "Plots",
    keys: [
      ["← →", "move the crosshair; with Shift by twenty; Home and End go to the ends"],
      ["Enter", "read at the crosshair"],
      ["Space", "pin the crosshair"],
      ["Esc", "clear the crosshair"],
      ["drag", "zoom; with Shift mark a bracket or band; double-click zooms back"],
    ],
  },
  {
    name: "Panels of a bench",
    keys: [
      ["← ↑ → ↓", "on a panel's head: move it"],
      ["Shift+← ↑ → ↓", "on a panel's head: resize it"],
      ["Del", "on a panel's head: close it"],
    ],
  },
  {
    name: "Overview",
    keys: [
      ["← →", "move the bracket; with Shift its end"],
      ["Home", "bracket the whole run"],
      ["+, Backspace", "zoom to the bracket, zoom back"],
    ],
  },
  {
    name: "Entries",
    keys: [
      ["Enter", "set what is typed"],
      ["Esc", "give up what is typed"],
    ],
  },
];
