/** Pairs of a check in a table, each with its deviation from the straight line. */
import { api, type Fit, told } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { digits, withUnit } from "../../../ui/format";
import { Panel } from "../../../ui/Panel";
import { saveBlob } from "../../../ui/save";
import { bare, type ReadPair } from "./usePairs";

type Props = {
  input: number;
  name: string;
  pairs: ReadPair[];
  fit: Fit | undefined;
  unit: string;
  onLeaveOut: (i: number) => void;
  onError: (e: Error) => void;
};

export function PairsTable({ input, name, pairs, fit, unit, onLeaveOut, onError }: Props) {
  const save = async (ending: "csv" | "xlsx") => {
    const body = { input, pairs: bare(pairs) };
    const sheet = await told<unknown>(api.POST(`/api/reference/sheet.${ending}`, { body, parseAs: "blob" }));
    saveBlob(sheet as Blob, `reference-check-input-${name}.${ending}`);
  };
  return (
    <Panel
      title="Pairs"
      says={pairs.length === 0 ? "none read yet" : undefined}
      className="min-h-60 flex-1"
      aside={
        pairs.length > 0 && (
          <>
            <Button look="link" onClick={() => save("xlsx").catch(onError)}>
              Save as XLSX
            </Button>
            <Button look="link" onClick={() => save("csv").catch(onError)}>
              CSV
            </Button>
          </>
        )
      }
    >
      <div className="min-h-0 flex-1 overflow-auto px-3 pb-2">
        <table className="w-full text-[13px]" aria-label="Pairs">
          <thead className="text-soft">
            <tr className="border-b border-ink text-right">
              <th className="py-1 text-left font-normal">Pair</th>
              <th className="font-normal">Reference, {unit} rms</th>
              <th className="font-normal">Reading, {unit} rms</th>
              <th className="font-normal">Deviation</th>
              <th className="font-normal">Spread</th>
              <th className="font-normal">Frequency</th>
              <td />
            </tr>
          </thead>
          <tbody>
            {pairs.map((p, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: pairs are numbered by their order
              <tr key={i} className="num border-b border-rule/70 text-right" data-pair={i + 1}>
                <td className="py-0.5 text-left">{i + 1}</td>
                <td>{digits(p.reference)}</td>
                <td>{digits(p.reading)}</td>
                <td>{withUnit((fit?.deviations[i] ?? 0) * 100, "%", 3)}</td>
                <td className={p.spread > 0.01 ? "text-lamp" : ""}>
                  {p.spread < 1e-4 ? "< 0.01\u202f%" : withUnit(p.spread * 100, "%", 2)}
                </td>
                <td>{withUnit(p.hz, "Hz", 5)}</td>
                <td>
                  <button
                    type="button"
                    className="px-1 hover:text-harbour"
                    aria-label={`Leave out pair ${i + 1}`}
                    onClick={() => onLeaveOut(i)}
                  >
                    ✕
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        {pairs.length === 0 && (
          <p className="pt-3 text-[13px] text-soft">
            Put the sensor on the reference, then read. One level gives the gain; three or more give offset and
            linearity as well.
          </p>
        )}
      </div>
    </Panel>
  );
}
