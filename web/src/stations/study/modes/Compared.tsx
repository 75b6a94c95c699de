/** Modes held against those of a kept result: another day, another campaign, a calculation. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schema, told } from "../../../api/client";
import { digits } from "../../../ui/format";
import { Wrong } from "../../../ui/Panel";
import { ChosenWord } from "../../../ui/Word";

type Props = { campaign: number; body: Omit<Schema["CompareWish"], "with"> };

const holdsShapes = (recipe: unknown) => ["modes", "brought"].includes((recipe as { lens?: string }).lens ?? "");

export function Compared({ campaign, body }: Props) {
  const [chosen, setChosen] = useState<number>();
  const campaigns = useQuery({ queryKey: ["campaigns"], queryFn: () => told(api.GET("/api/campaigns")) }).data ?? [];
  const kept = useQuery({
    queryKey: ["kept-results", "shapes", campaigns.map((c) => c.id)],
    enabled: campaigns.length > 0,
    queryFn: async () => {
      const all = await Promise.all(
        campaigns.map(async (c) => {
          const some = await told(api.GET("/api/campaigns/{id}/kept-results", { params: { path: { id: c.id } } }));
          return some.filter((r) => holdsShapes(r.recipe)).map((r) => ({ id: r.id, says: `${r.name}, ${c.name}` }));
        }),
      );
      return all.flat();
    },
  });
  const compared = useQuery({
    queryKey: ["modes", campaign, "compared", body, chosen],
    enabled: chosen !== undefined,
    retry: false,
    queryFn: () =>
      told(
        api.POST("/api/campaigns/{id}/modes/compare", {
          params: { path: { id: campaign } },
          body: { ...body, with: chosen ?? 0 },
        }),
      ),
  });
  const options = (kept.data ?? []).map((k) => ({ value: k.id, says: k.says }));
  if (options.length === 0) return null;
  const c = compared.data;
  return (
    <section aria-label="Held against other modes" className="border-t border-rule px-3 py-1 text-[13px] leading-6">
      Held against{" "}
      <ChosenWord label="Other modes" value={chosen ?? 0} options={options} onSet={setChosen} empty="nothing" />
      {chosen !== undefined && <Wrong error={compared.error} />}
      {chosen !== undefined && c && !compared.error && (
        <>
          {" "}
          over {c.common} places: {c.pairs.length === 0 && <span className="text-lamp">▲ no two shapes are alike</span>}
          <ul className="flex flex-wrap gap-x-5">
            {[...c.pairs]
              .sort((a, b) => a.own - b.own)
              .map((p) => (
                <li key={p.own} className="num whitespace-nowrap" data-pair={`${p.own} ${p.other}`}>
                  {p.own} ↔ {p.other} <span className="text-soft">MAC</span> {p.mac.toFixed(3)}
                  {p.shift != null && (
                    <span className="text-soft">
                      , {p.shift >= 0 ? "+" : "−"}
                      {digits(100 * Math.abs(p.shift), 2)} %
                    </span>
                  )}
                </li>
              ))}
          </ul>
        </>
      )}
    </section>
  );
}
