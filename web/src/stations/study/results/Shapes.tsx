/** Shapes of a result: what each mode is, and how far each place moves in it. */
import type { Analysis } from "../../../api/client";
import { digits } from "../../../ui/format";

/** Places that are listed: a calculation has thousands. */
const SHOWN = 100;

/** Angle within which a place moves with the others, or against them, °. */
const WITH = 5;

/** How far a place moves, with a sign; and the angle where it neither moves with the others nor against them. */
export function moved(re: number, im: number): string {
  const size = Math.hypot(re, im);
  const angle = (Math.atan2(im, re) * 180) / Math.PI;
  const off = Math.min(Math.abs(angle), 180 - Math.abs(angle));
  return off <= WITH ? digits(re < 0 ? -size : size, 4) : `${digits(size, 4)} ∠ ${Math.round(angle)}°`;
}

/** A place with its direction, a sign only where it is against it. */
export const placed = (d: { point: string; direction: string; sign: string }) =>
  `${d.point} ${d.sign === "-" ? "−" : ""}${d.direction}`.trim();

export function Shapes({ says, body }: { says: string; body: Analysis }) {
  const dofs = body.axes[0]?.dofs ?? [];
  const modes = body.traces;
  const number = (mode: number | null | undefined, name: string) =>
    body.numbers.find((n) => n.mode === mode && n.name === name)?.value;
  return (
    <section aria-label={says}>
      <h3 className="font-semibold">{says}</h3>
      <table className="leading-6" aria-label={`Shapes, ${says}`}>
        <thead className="sticky top-0 bg-sheet text-left text-soft">
          <tr>
            <th className="whitespace-nowrap pr-4 font-normal">Mode</th>
            {modes.map((m) => (
              <th key={m.mode} className="num pr-4 text-right font-normal">
                {m.mode}
              </th>
            ))}
          </tr>
          <tr>
            <th className="whitespace-nowrap pr-4 font-normal">Frequency, Hz</th>
            {modes.map((m) => (
              <th key={m.mode} className="num pr-4 text-right font-normal text-ink">
                {digits(number(m.mode, "frequency") ?? null, 5)}
              </th>
            ))}
          </tr>
          <tr>
            <th className="whitespace-nowrap pr-4 font-normal">Damping, %</th>
            {modes.map((m) => {
              const ratio = number(m.mode, "damping_ratio");
              return (
                <th key={m.mode} className="num pr-4 text-right font-normal text-ink">
                  {ratio == null ? "" : digits(100 * ratio, 3)}
                </th>
              );
            })}
          </tr>
        </thead>
        <tbody>
          {dofs.slice(0, SHOWN).map((d, i) => (
            <tr key={placed(d)} className="border-t border-rule">
              <td className="pr-4">{placed(d)}</td>
              {modes.map((m) => (
                <td key={m.mode} className="num whitespace-nowrap pr-4 text-right">
                  {moved(m.re?.[i] ?? m.values?.[i] ?? 0, m.im?.[i] ?? 0)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      {dofs.length > SHOWN && <p className="text-soft">and {dofs.length - SHOWN} more places</p>}
    </section>
  );
}
