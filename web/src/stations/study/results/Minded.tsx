/** What is to be kept in mind of a result whose shapes move on the specimen: its cautions, and points it does not have. */
import type { Analysis } from "../../../api/client";

/** Points that are named at once. */
const NAMED = 5;

export function Minded({ analysis, strange }: { analysis: Analysis; strange: string[] }) {
  const missing = `the specimen has no point for ${strange.slice(0, NAMED).join(", ")}${strange.length > NAMED ? " and others" : ""}`;
  return [...analysis.cautions.map((c) => c.says), ...(strange.length > 0 ? [missing] : [])].map((says) => (
    <p key={says} className="px-3 text-[12px] leading-4 text-lamp">
      ▲ {says}
    </p>
  ));
}
