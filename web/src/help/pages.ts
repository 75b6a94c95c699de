/** What the help page shows: the guide and the words of the documentation, which are the same texts. */

type Load = () => Promise<{ default: string }>;

export type Page = { key: string; says: string; load: Load };

const guide = import.meta.glob<{ default: string }>("../../../docs/guide/*.md", { query: "?raw" });
// Those that a guide shows; the documentation has more.
const shots = import.meta.glob<string>(
  "../../../docs/screenshots/{afterwards,takes,orders,plan-takes,rounds,check,rig-many,specimen,taps,modes,deflection,report}.png",
  { query: "?url", import: "default", eager: true },
);

/** Pages of the guide in the order of its own list. */
const jobs: [string, string][] = [
  ["README", "How to …"],
  ["bump-test", "Hit it and see where it rings"],
  ["tap-series", "Hammer, responses, modes"],
  ["in-operation", "See it move while it runs"],
  ["run-up", "Run it up"],
  ["coast-down", "Let it coast down"],
  ["shock", "Catch a shock"],
  ["rounds", "Record unattended"],
  ["sensor-check", "Check a sensor"],
  ["many-channels", "Many channels"],
  ["write-report", "Write the report"],
  ["by-itself", "Let it do the rest by itself"],
  ["specimen", "Draw the specimen"],
];

const ofGuide = ([key, says]: [string, string]): Page => ({
  key,
  says,
  load: guide[`../../../docs/guide/${key}.md`] as Load,
});

export const pages: Page[] = [
  ...jobs.map(ofGuide),
  { key: "words", says: "Words", load: () => import("../../../docs/glossary.md?raw") },
  { key: "methods", says: "How it is computed", load: () => import("../../../docs/methods.md?raw") },
];

/** Where a link of the texts leads on the page; other addresses stay as they are. */
export function leadsTo(href: string): string {
  const file = /^(?:\.\.\/|guide\/)*([\w-]+)\.md$/.exec(href)?.[1];
  if (!file) return href;
  const key = { glossary: "words" }[file] ?? file;
  return pages.some((p) => p.key === key) ? `/help/${key}` : href;
}

/** The address of a picture of the texts. */
export const pictureOf = (src: string): string | undefined =>
  shots[`../../../docs/screenshots/${src.split("/").pop()}`];
