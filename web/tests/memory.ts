/** What a browser keeps, as far as it is asked in tests; `kept` is what lies in it. */
export const memory = (kept = new Map<string, string>()) => ({
  getItem: (key: string) => kept.get(key) ?? null,
  setItem: (key: string, text: string) => void kept.set(key, text),
  removeItem: (key: string) => void kept.delete(key),
});
