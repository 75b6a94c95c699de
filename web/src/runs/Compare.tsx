/** In what two runs differ: front end, plan, channel table. */
import type { Schema } from "../api/client";
import { Button } from "../ui/Button";
import { Panel, Wrong } from "../ui/Panel";
import { TableMenu } from "../ui/TableMenu";
import type { ListedRun } from "./list";
import { useDifferences } from "./useRunActs";

type Props = { one: ListedRun; other: ListedRun; onClose: () => void };

export function Compare({ one, other, onClose }: Props) {
  const asked = useDifferences(one.id, other.id);
  const d = asked.data;
  const lines = d && [...d.settings.map((s) => ({ ...s, key: s.what })), ...d.cells.map(cellLine)];
  return (
    <Panel
      title={`Run ${one.number} beside run ${other.number}`}
      says={d && (lines?.length ? `${lines.length} settings differ` : "")}
      aside={
        <>
          <TableMenu name={`runs ${one.number} and ${other.number}`} />
          <Button look="link" onClick={onClose}>
            Close
          </Button>
        </>
      }
      className="max-h-[45%] shrink-0"
    >
      <Wrong error={asked.error} />
      {lines?.length === 0 && (
        <p className="px-3 pb-3 text-soft">Both were recorded with the same settings: front end, plan and channels.</p>
      )}
      {lines && lines.length > 0 && (
        <div className="min-h-0 overflow-auto px-3 pb-2">
          <table className="w-full text-[13px]" aria-label="Differences">
            <thead className="sticky top-0 bg-sheet text-left text-soft">
              <tr>
                <th className="font-normal">Setting</th>
                <th className="font-normal">run {one.number}</th>
                <th className="font-normal">run {other.number}</th>
              </tr>
            </thead>
            <tbody>
              {lines.map((l) => (
                <tr key={l.key} className="border-t border-rule">
                  <td className="pr-6">{l.what}</td>
                  <td className="num pr-6">{l.one || "–"}</td>
                  <td className="num">{l.other || "–"}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </Panel>
  );
}

const cellLine = (c: Schema["CellChanged"]) => ({
  key: `${c.input} ${c.column}`,
  what: `input ${c.input}, ${c.column.replaceAll("_", " ")}`,
  one: c.from,
  other: c.to,
});
