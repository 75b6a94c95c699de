/** What this browser keeps between visits; what is of another shape, or not readable, counts as nothing. */
import * as v from "valibot";

export function stored<T>(key: string, schema: v.GenericSchema<unknown, T>): T | undefined {
  try {
    const found = v.safeParse(schema, JSON.parse(localStorage.getItem(key) ?? "null"));
    return found.success ? found.output : undefined;
  } catch {
    return undefined;
  }
}
