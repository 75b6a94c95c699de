/** Findings of the rule check, each with what, why and its fix; a finding can be let pass with a reason. */
import { useEffect, useRef, useState } from "react";
import type { Caution } from "../../api/client";
import { Explain } from "../../ui/Explain";
import { ruleMethods } from "../../ui/methods";
import { Panel } from "../../ui/Panel";

type Props = {
  cautions: Caution[];
  onFix: (c: Caution) => void;
  onWaive: (c: Caution, reason: string | null) => Promise<unknown>;
  onSelect: (input: number) => void;
  selected: number;
};

export function Cautions({ cautions, onFix, onWaive, onSelect, selected }: Props) {
  const open = cautions.filter((c) => !c.waived).length;
  const waived = cautions.length - open;
  const counted = [open > 0 && `${open} open`, waived > 0 && `${waived} waived`].filter(Boolean).join(", ");
  const byKey = cautions.find((c) => c.input === selected && mendable(c));
  return (
    <Panel
      title="Cautions"
      aside={<span className="text-[12px] text-soft">{counted}</span>}
      className="min-h-24 flex-1"
    >
      <ul className="min-h-0 flex-1 overflow-auto px-3 pb-2">
        {open === 0 && <li className="text-[13px] text-lee">✓ Nothing found: the rig is in order.</li>}
        {cautions.map((c) => (
          <Finding
            key={`${c.rule}-${c.input}-${c.says}`}
            caution={c}
            byKey={c === byKey}
            onFix={onFix}
            onWaive={onWaive}
            onSelect={onSelect}
          />
        ))}
      </ul>
    </Panel>
  );
}

/** Whether one press puts it right. */
export const mendable = (c: Caution) => c.fix_says != null && !c.waived;

type FindingProps = Omit<Props, "cautions" | "selected"> & { caution: Caution; byKey: boolean };

export function Finding({ caution: c, byKey, onFix, onWaive, onSelect }: FindingProps) {
  const [reason, setReason] = useState<string>();
  const [wrong, setWrong] = useState("");
  const line = useRef<HTMLLIElement>(null);
  // What one key would mend is in sight.
  useEffect(() => {
    if (byKey) line.current?.scrollIntoView({ block: "nearest" });
  }, [byKey]);
  const shape = c.waived ? "△" : c.grave ? "■" : "▲";
  const colour = c.waived ? "text-soft" : c.grave ? "text-reef" : "text-lamp";
  const waive = (text: string | null) =>
    onWaive(c, text).then(
      () => setReason(undefined),
      (e: Error) => setWrong(e.message),
    );
  return (
    <li ref={line} className="flex gap-2 py-1.5" data-rule={c.rule}>
      <span className={colour}>{shape}</span>
      <div className="min-w-0 leading-4">
        <div className="flex items-start gap-1">
          <button
            type="button"
            className={`text-left leading-4 font-semibold ${c.waived ? "text-soft" : ""}`}
            onClick={() => c.input && onSelect(c.input)}
          >
            {c.says}
          </button>
          <Explain what={c.rule.replaceAll("_", " ")} titles={ruleMethods(c.rule)} />
        </div>
        {c.waived ? (
          <p className="text-[12px] text-soft">
            Waived by {c.waived.who}: “{c.waived.reason}”.{" "}
            <button type="button" className="text-harbour hover:underline" onClick={() => waive(null)}>
              Reopen
            </button>
          </p>
        ) : (
          <p className="text-[12px] text-soft">{c.why}</p>
        )}
        {!c.waived && reason === undefined && (
          <p className="text-[13px]">
            {c.fix_says && (
              <>
                <button type="button" className="font-semibold text-harbour hover:underline" onClick={() => onFix(c)}>
                  {c.fix_says}
                </button>
                {byKey && <kbd className="ml-1">Alt F</kbd>}
                <span className="text-soft"> or </span>
              </>
            )}
            <button type="button" className="text-soft hover:underline" onClick={() => setReason("")}>
              waive with a reason
            </button>
          </p>
        )}
        {reason !== undefined && (
          <form
            className="mt-1"
            onSubmit={(e) => {
              e.preventDefault();
              waive(reason);
            }}
          >
            <input
              aria-label={`Reason to waive: ${c.says}`}
              placeholder="why it is all right, then Enter"
              className="panel h-7 w-full px-2"
              // biome-ignore lint/a11y/noAutofocus: it was asked for
              autoFocus
              value={reason}
              onChange={(e) => setReason(e.target.value)}
              onKeyDown={(e) => e.key === "Escape" && setReason(undefined)}
            />
            {wrong && (
              <span role="alert" className="text-[12px] text-reef">
                {wrong}
              </span>
            )}
          </form>
        )}
      </div>
    </li>
  );
}
