/** Parts of the page that are loaded when they are opened first. */
import { type ComponentType, lazy } from "react";

/** A server that is away for a moment does not spoil a part for good. */
async function patient<T>(part: () => Promise<T>): Promise<T> {
  for (;;) {
    try {
      return await part();
    } catch {
      await new Promise((later) => window.setTimeout(later, 1000));
    }
  }
}

/** A component that is loaded when it is drawn first: the one of this name in a module. */
export const later = <N extends string, P>(part: () => Promise<{ [K in N]: ComponentType<P> }>, name: N) =>
  lazy(() => patient(part).then((m) => ({ default: m[name] })));
