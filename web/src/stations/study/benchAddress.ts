/** A bench of lenses in an address: by its name where it is always there as it is, with its panels where not. */
import { compressToEncodedURIComponent, decompressFromEncodedURIComponent } from "lz-string";
import * as v from "valibot";
import type { RunDetail } from "../../api/client";
import { same } from "../../ui/same";
import { type Panel, panel, ready, type Working } from "./bench";

/** Writes a bench into the search part of an address. */
export function benchInto(params: URLSearchParams, bench: Working, run: RunDetail) {
  const made = ready.find((b) => b.name === bench.name)?.panels(run, undefined);
  params.set("bench", bench.name);
  if (made && same(made, bench.panels)) params.delete("panels");
  else params.set("panels", compressToEncodedURIComponent(JSON.stringify(bench.panels)));
}

/** The bench of an address; none where it says none, or says it wrongly. */
export function benchOf(params: URLSearchParams, run: RunDetail): Working | undefined {
  const name = params.get("bench") ?? "";
  const text = params.get("panels");
  if (!text) {
    const made = ready.find((b) => b.name === name);
    return made && { name, panels: made.panels(run, undefined) };
  }
  try {
    const found = v.safeParse(v.array(panel), JSON.parse(decompressFromEncodedURIComponent(text) || "null"));
    return found.success ? { name, panels: found.output as Panel[] } : undefined;
  } catch {
    // Cut off in a mail.
    return undefined;
  }
}
