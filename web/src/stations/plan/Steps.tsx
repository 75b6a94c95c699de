/** Full scale and converter step of every channel, in its unit. */
import { digits } from "../../ui/format";
import { Panel } from "../../ui/Panel";
import type { PlanProps } from "./planProps";

export function Steps({ channels }: PlanProps) {
  return (
    <Panel
      title="Full scale and resolution"
      says="what fills the converter, and the smallest step it tells apart"
      className="min-h-0 flex-1"
    >
      <div className="min-h-0 overflow-auto px-3 pb-2">
        <table className="w-full max-w-3xl text-[13px]">
          <thead className="sticky top-0 bg-sheet text-left text-soft">
            <tr>
              <th className="font-normal">Input</th>
              <th className="font-normal">Channel</th>
              <th className="text-right font-normal">Range</th>
              <th className="text-right font-normal">Full scale, peak</th>
              <th className="text-right font-normal">Resolution</th>
              <td />
            </tr>
          </thead>
          <tbody>
            {channels.map((c) => (
              <tr key={c.input} className="border-t border-rule">
                <td className="num">{c.label}</td>
                <td className="truncate">{c.name}</td>
                <td className="num text-right">{digits(c.range_v, 3)} V</td>
                <td className="num text-right">{digits(c.full_scale, 3)}</td>
                <td className="num text-right">{digits(c.converter_step, 2)}</td>
                <td className="pl-2 text-soft">{c.unit}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Panel>
  );
}
