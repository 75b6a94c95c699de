/** A response as it was measured, and as the modes make it; and how much of each response they miss. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { type Analysis, api, told } from "../../../api/client";
import type { OfSet } from "../../../api/taps";
import { digits } from "../../../ui/format";
import { Panel, Wrong } from "../../../ui/Panel";
import { type Curve, Plot, type Range } from "../../../ui/plot/Plot";
import { ChosenWord } from "../../../ui/Word";
import { placed } from "../results/Shapes";
import type { ModesRecipe } from "./recipe";

type Props = {
  campaign: number;
  set: OfSet;
  recipe: ModesRecipe;
  analysis: Analysis;
  /** Whether the modes are final: what they make of a response is asked for then. */
  settled: boolean;
};

export function Synthesis({ campaign, set, recipe, analysis, settled }: Props) {
  const dofs = analysis.axes[1]?.dofs ?? [];
  const references = analysis.axes[3]?.dofs ?? [];
  const missed = analysis.traces.find((t) => t.quantity === "missed")?.values ?? [];
  const [at, setAt] = useState<number>();
  // Where nobody chose, the one that speaks most against the modes.
  const worst = missed.reduce((best, v, i) => (v > (missed[best] ?? 0) ? i : best), 0);
  const shown = at !== undefined && at < missed.length ? at : worst;
  const width = Math.max(references.length, 1);
  const pair = { response: Math.floor(shown / width), reference: shown % width };
  const made = useQuery({
    queryKey: ["modes", campaign, "synthesis", set, recipe, pair, analysis.made.at],
    enabled: settled,
    placeholderData: keepPreviousData,
    queryFn: () =>
      told(
        api.POST("/api/campaigns/{id}/modes/synthesis", {
          params: { path: { id: campaign } },
          body: { set, recipe: recipe as never, ...pair },
        }),
      ),
  });
  const curves = useMemo<Curve[]>(
    () =>
      made.data
        ? [
            { name: "measured", high: made.data.measured },
            { name: "synthesised", high: made.data.made.map((v) => v ?? Number.NaN) },
          ]
        : [],
    [made.data],
  );
  const band = recipe.band_hz as Range;
  const options = missed.map((v, i) => {
    const [to, of] = [dofs[Math.floor(i / width)], references[i % width]];
    const says = `${to ? placed(to) : ""} over ${of ? placed(of) : ""}`;
    return { value: i, says: `${says}, ${digits(100 * v, 2)} % missed`, face: says };
  });
  return (
    <Panel
      title="Measured, synthesised"
      says={<ChosenWord label="Response held against the modes" value={shown} options={options} onSet={setAt} />}
      aside={
        made.data && (
          <span className="text-[13px] whitespace-nowrap">
            missed <b className="num">{digits(100 * made.data.missed, 2)} %</b>
          </span>
        )
      }
    >
      <Wrong error={made.error} />
      <div className="flex min-h-0 flex-[3]">
        <Plot
          label="Measured and synthesised"
          x={made.data?.frequencies_hz ?? []}
          curves={curves}
          xLabel="frequency, Hz"
          yLabel={recipe.lens === "modes" ? "response, SI" : "half spectrum"}
          logY
          range={[Math.max(band[0] * 0.8, 0), band[1] * 1.1]}
          band={band}
        />
      </div>
      <ol aria-label="What the modes miss of each response" className="flex h-9 items-end gap-px px-3 pb-1">
        {missed.map((v, i) => (
          <li key={options[i]?.says} className="flex h-full flex-1 items-end">
            <button
              type="button"
              aria-label={options[i]?.says}
              title={options[i]?.says}
              className={`w-full ${i === shown ? "bg-mark" : v > 0.5 ? "bg-reef" : "bg-soft"}`}
              style={{ height: `${Math.max(Math.min(v, 1) * 100, 4)}%` }}
              onClick={() => setAt(i)}
            />
          </li>
        ))}
      </ol>
    </Panel>
  );
}
