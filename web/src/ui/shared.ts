/** A value that parts of the page far from each other read and change; readers are drawn anew when it changes. */
import { useSyncExternalStore } from "react";

export type Shared<T> = { get: () => T; set: (to: T) => void; use: () => T };

export function shared<T>(value: T): Shared<T> {
  const readers = new Set<() => void>();
  const subscribe = (f: () => void) => {
    readers.add(f);
    return () => readers.delete(f);
  };
  const get = () => value;
  return {
    get,
    set: (to) => {
      value = to;
      for (const f of readers) f();
    },
    use: () => useSyncExternalStore(subscribe, get),
  };
}
