/** Numbers of a result, a row a channel. */
import type { Analysis, RunDetail } from "../../../api/client";
import { digits } from "../../../ui/format";
import { TableMenu } from "../../../ui/TableMenu";
import { rowOf } from "../rows";
import { lensOf } from "./lenses";

export function NumbersBody({ result, run }: { result: Analysis; run: RunDetail }) {
  const names = [...new Set(result.numbers.map((n) => n.name))];
  const channels = [...new Set(result.numbers.map((n) => n.channel))];
  const of = (channel: number, name: string) => result.numbers.find((n) => n.channel === channel && n.name === name);
  return (
    <div className="min-h-0 flex-1 overflow-auto px-3 pb-2">
      <div className="flex justify-end">
        <TableMenu name={lensOf(result.recipe.lens).says} />
      </div>
      <table className="w-full text-[13px]">
        <thead className="sticky top-0 bg-sheet text-right text-soft">
          <tr>
            <th className="text-left font-normal">Channel</th>
            {names.map((n) => (
              <th key={n} className="pl-3 font-normal">
                {n.replaceAll("_", " ")}
              </th>
            ))}
            <td />
          </tr>
        </thead>
        <tbody>
          {channels.map((c) => (
            <tr key={c} className="border-t border-rule">
              <td className="max-w-40 truncate">{rowOf(run, c)?.name}</td>
              {names.map((n) => (
                <td key={n} className="num pl-3 text-right">
                  {digits(of(c, n)?.value, 4)}
                </td>
              ))}
              <td className="pl-3 text-soft">{of(c, names[0] ?? "")?.unit}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
