/** What is being typed, kept until it is set or given up: it survives leaving the station and a reload. */
const KEY = "draft";

type Draft = { at: string; label: string; value: string; text: string };

const here = () => window.location.pathname;
const same = (d: Draft, label: string, value: string) => d.at === here() && d.label === label && d.value === value;

function kept(): Draft | undefined {
  try {
    return (JSON.parse(sessionStorage.getItem(KEY) ?? "null") as Draft | null) ?? undefined;
  } catch {
    return undefined;
  }
}

export const keepDraft = (label: string, value: string, text: string) =>
  sessionStorage.setItem(KEY, JSON.stringify({ at: here(), label, value, text }));

/** The text that was being typed into an entry, if it was this one. */
export function takeDraft(label: string, value: string): string | undefined {
  const d = kept();
  if (!d || !same(d, label, value) || d.text === value) return undefined;
  return d.text;
}

export function dropDraft(label: string, value: string) {
  const d = kept();
  if (d && same(d, label, value)) sessionStorage.removeItem(KEY);
}
