/** Day or night colours: everywhere at once, pictures drawn by hand too, and kept over visits. */
import { useSyncExternalStore } from "react";

export type Theme = "day" | "night";

const KEY = "colours";
const readers = new Set<() => void>();
let theme: Theme = localStorage.getItem(KEY) === "night" ? "night" : "day";

const show = () => {
  document.documentElement.dataset.theme = theme === "night" ? "night" : "";
};
show();

export function setTheme(to: Theme) {
  theme = to;
  localStorage.setItem(KEY, to);
  show();
  for (const f of readers) f();
}

export const themeNow = () => theme;

const subscribe = (f: () => void) => {
  readers.add(f);
  return () => readers.delete(f);
};

/** The colours in force; what draws on a canvas draws anew when they change. */
export const useTheme = () => useSyncExternalStore(subscribe, () => theme);
