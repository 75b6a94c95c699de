/** Day or night colours: everywhere at once, pictures drawn by hand too, and kept over visits. */
import { shared } from "./shared";

export type Theme = "day" | "night";

const KEY = "colours";
const theme = shared<Theme>(localStorage.getItem(KEY) === "night" ? "night" : "day");

const show = (to: Theme) => {
  document.documentElement.dataset.theme = to === "night" ? "night" : "";
};
show(theme.get());

export function setTheme(to: Theme) {
  localStorage.setItem(KEY, to);
  // Before it is told: who draws anew reads the colours of the page.
  show(to);
  theme.set(to);
}

export const themeNow = theme.get;

/** The colours in force; what draws on a canvas draws anew when they change. */
export const useTheme = theme.use;
