/** Each point of a deflection: how much it moves, when, and whether with the reference. */
import type { Analysis } from "../../../api/client";
import { amplitude } from "../../../ui/complex";
import { digits } from "../../../ui/format";
import { placed } from "../results/Shapes";

/** Below this a point is told not to move with the reference. */
const FOLLOWS = 0.5;

export function DeflectionTable({ analysis }: { analysis: Analysis }) {
  const shape = analysis.traces.find((t) => t.quantity === "shape");
  const size = shape ? amplitude(shape) : [];
  const coherence = analysis.traces.find((t) => t.quantity === "coherence")?.values ?? [];
  const dofs = analysis.axes.find((a) => a.name === "dof")?.dofs ?? [];
  return (
    <div className="min-h-0 flex-1 overflow-auto px-3 pb-2">
      <table className="w-full text-right text-[13px] leading-[22px]" aria-label="Points of the deflection">
        <thead className="sticky top-0 bg-sheet text-soft">
          <tr>
            <th className="text-left font-normal">Point</th>
            <th className="font-normal">{shape?.unit}, rms</th>
            <th className="font-normal">Phase, °</th>
            <th className="font-normal">Coherence</th>
          </tr>
        </thead>
        <tbody>
          {dofs.map((d, k) => {
            const [re, im] = [shape?.re?.[k] ?? 0, shape?.im?.[k] ?? 0];
            const c = coherence[k];
            return (
              <tr key={placed(d)} className="border-t border-rule" data-point={placed(d)}>
                <td className="text-left">{placed(d)}</td>
                <td className="num" data-rms={size[k]}>
                  {digits(size[k], 4)}
                </td>
                <td className="num">{phase(re, im)}</td>
                <td className={`num ${c != null && c < FOLLOWS ? "text-lamp" : ""}`}>
                  {c == null ? "" : c.toFixed(2)}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}

/** In degrees, above −180 up to 180. */
function phase(re: number, im: number): string {
  const deg = Math.round((Math.atan2(im, re) * 180) / Math.PI);
  return deg === -180 ? "180" : `${deg}`.replace("-", "−");
}
