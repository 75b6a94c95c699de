/** Findings of the rule check, each with what, why and its fix. */
import type { Caution } from "../../api/client";
import { Panel } from "../../ui/Panel";

export function Cautions({
  cautions,
  onFix,
  onSelect,
}: {
  cautions: Caution[];
  onFix: (c: Caution) => void;
  onSelect: (input: number) => void;
}) {
  return (
    <Panel
      title="Cautions"
      aside={<span className="text-[12px] text-soft">{cautions.length ? `${cautions.length} open` : ""}</span>}
      className="flex-1"
    >
      <ul className="min-h-0 flex-1 overflow-auto px-3 pb-2">
        {cautions.length === 0 && <li className="text-[13px] text-lee">✓ Nothing found: the rig is in order.</li>}
        {cautions.map((c) => (
          <li key={`${c.rule}-${c.input}`} className="flex gap-2 py-1.5">
            <span className={c.rule === "clipped" ? "text-reef" : "text-lamp"}>{c.rule === "clipped" ? "■" : "▲"}</span>
            <div className="leading-4">
              <button
                type="button"
                className="text-left leading-4 font-semibold"
                onClick={() => c.input && onSelect(c.input)}
              >
                {c.says}
              </button>
              <p className="text-[12px] text-soft">{c.why}</p>
              {c.fix && (
                <button type="button" className="font-semibold text-harbour hover:underline" onClick={() => onFix(c)}>
                  {c.fix_says}
                </button>
              )}
            </div>
          </li>
        ))}
      </ul>
    </Panel>
  );
}
