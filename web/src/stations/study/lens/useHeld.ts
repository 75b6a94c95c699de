/** A wish that waits while the last one is being carried out, so that something comes while it is dragged. */
import { useEffect, useState } from "react";

/** Longer than this nobody waits for what is no longer wished, ms. */
const PATIENCE = 400;

export function useHeld<T>(wish: T, busy: boolean): T {
  const [held, setHeld] = useState(wish);
  const [text, before] = [JSON.stringify(wish), JSON.stringify(held)];
  // biome-ignore lint/correctness/useExhaustiveDependencies: the texts stand for what they are made of
  useEffect(() => {
    if (text === before) return;
    if (!busy) {
      setHeld(wish);
      return;
    }
    const late = setTimeout(() => setHeld(wish), PATIENCE);
    return () => clearTimeout(late);
  }, [text, before, busy]);
  return held;
}
