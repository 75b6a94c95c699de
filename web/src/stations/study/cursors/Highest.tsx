/** The highest peaks of the curve that is read, each with the line of the machine it belongs to. */
import { digits } from "../../../ui/format";
import { ChosenWord } from "../../../ui/Word";
import type { Cursors } from "../look";
import type { Readings } from "./useReadings";

type Props = { cursors: Cursors; data: Readings; unit: string; onSet: (part: Partial<Cursors>) => void };

export function Highest({ cursors, data, unit, onSet }: Props) {
  const lines = cursors.highest ? (data.highest?.lines ?? []) : [];
  return (
    <section className="mt-2 border-t border-rule pt-1" aria-label="Peaks">
      <h3 className="font-semibold text-mark">Peaks</h3>
      <p className="leading-7">
        list{" "}
        <ChosenWord
          label="Highest peaks"
          value={cursors.highest}
          options={[0, 5, 10, 20, 40].map((n) => ({ value: n, says: n ? `the ${n} highest` : "none" }))}
          onSet={(highest) => onSet({ highest })}
        />
        {lines.length > 0 && <span className="text-soft">: Hz, {unit}, order</span>}
      </p>
      <table className="w-full" aria-label="Highest peaks">
        <tbody>
          {lines.map((l) => (
            <tr key={l.number} className="border-t border-rule align-baseline">
              <td className="num text-right">{digits(l.found_hz ?? l.wanted_hz, 6)}</td>
              <td className="num pl-2 text-right">{digits(l.value, 3)}</td>
              <td className="num pl-2 text-right text-soft">{l.order == null ? "" : `${digits(l.order, 4)}×`}</td>
              <td
                className="pl-2 leading-4 text-mark"
                data-peak={l.belongs_to ?? ""}
                title={[l.belongs_to, ...l.also.map((a) => `or ${a}`)].join(", ")}
              >
                {l.belongs_to ?? ""}
                {l.also.length > 0 && ` or ${l.also.length} more`}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
