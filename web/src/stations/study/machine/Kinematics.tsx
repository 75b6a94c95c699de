/** The machine as a small diagram: a line a shaft, its elements on it, meshes between; frequencies at a speed. */
import type { Schema } from "../../../api/client";
import { digits, withUnit } from "../../../ui/format";

type Element = Schema["Element"];
type Line = Schema["LineAt"];

/** Ratios and mesh frequencies that differ by less are one. */
const SAME = 2e-3;
const near = (a: number, b: number) => Math.abs(a - b) < SAME * Math.max(a, b);

const [WIDE, ROW, LEFT, STEP] = [560, 92, 150, 74];

type Shaft = { ratio: number; elements: Element[] };

/** Elements by the shaft they turn with: the one with the tachometer first, then the others by speed. */
function shaftsOf(elements: Element[]): Shaft[] {
  const all: Shaft[] = [];
  for (const e of elements) {
    const own = all.find((s) => near(s.ratio, e.ratio));
    if (own) own.elements.push(e);
    else all.push({ ratio: e.ratio, elements: [e] });
  }
  return all.sort((a, b) => (near(a.ratio, 1) ? -1 : near(b.ratio, 1) ? 1 : b.ratio - a.ratio));
}

export function Kinematics({ elements, lines, rpm }: { elements: Element[]; lines: Line[]; rpm: number }) {
  const shafts = shaftsOf(elements);
  const placed = shafts.flatMap((s, row) =>
    s.elements
      .filter((e) => e.kind !== "shaft")
      .map((e, k) => ({ e, row, x: LEFT + 40 + k * STEP, y: 46 + row * ROW })),
  );
  const gears = placed.filter((p) => p.e.kind === "gear");
  const mesh = (p: (typeof placed)[number]) => lines.find((l) => l.element === p.e.name && l.says === "mesh");
  // Two gears on different shafts whose teeth pass at one rate turn each other.
  const meshes = gears.flatMap((a, i) =>
    gears
      .slice(i + 1)
      .filter((b) => b.row !== a.row && near(mesh(a)?.hz ?? 0, mesh(b)?.hz ?? 1))
      .map((b) => ({ a, b, hz: mesh(a)?.hz })),
  );
  const high = 24 + shafts.length * ROW;
  const wide = Math.max(WIDE, ...placed.map((p) => p.x + 60));
  const name = (s: Shaft) => s.elements.find((e) => e.kind === "shaft")?.name ?? "shaft";
  return (
    <svg
      viewBox={`0 0 ${wide} ${high}`}
      className="w-full shrink-0 px-3"
      style={{ maxHeight: Math.min(high * 1.2, 420) }}
      role="img"
      aria-label={shafts
        .map((s) => `${name(s)} turns ${digits(s.ratio, 4)}×, with ${s.elements.map((e) => e.name).join(", ")}`)
        .join("; ")}
    >
      {shafts.map((s, row) => {
        const y = 46 + row * ROW;
        return (
          <g key={s.ratio} fontSize="12.5" fill="var(--ink)">
            <path d={`M${LEFT} ${y}H${wide - 14}`} stroke="var(--ink)" strokeWidth="3" />
            <text x="4" y={y - 8} fontWeight="600">
              {name(s)}
            </text>
            <text x="4" y={y + 8} className="num" fill="var(--ink-soft)">
              {digits(s.ratio * rpm, 5)} rpm
            </text>
            <text x="4" y={y + 23} className="num" fill="var(--ink-soft)">
              {digits(s.ratio, 4)}×{near(s.ratio, 1) ? ", tachometer" : ""}
            </text>
          </g>
        );
      })}
      {meshes.map((m) => (
        <g key={`${m.a.e.name} ${m.b.e.name}`}>
          <path
            d={`M${m.a.x} ${m.a.y + 14}L${m.b.x} ${m.b.y - 14}`}
            stroke="var(--magenta)"
            strokeDasharray="3 3"
            strokeWidth="1.5"
          />
          <text
            x={(m.a.x + m.b.x) / 2 + 8}
            y={(m.a.y + m.b.y) / 2 + 14}
            fontSize="12.5"
            className="num"
            fill="var(--magenta)"
          >
            mesh {withUnit(m.hz, "Hz", 5)}
          </text>
        </g>
      ))}
      {placed.map((p) => (
        <g key={p.e.name} fontSize="12" fill="var(--ink)" textAnchor="middle">
          <Shape of={p.e} x={p.x} y={p.y} />
          <text x={p.x} y={p.y - 20}>
            {p.e.name.length > 16 ? `${p.e.name.slice(0, 15)}…` : p.e.name}
          </text>
          <text x={p.x} y={p.y + 29} className="num" fill="var(--ink-soft)">
            {counted(p.e)}
          </text>
        </g>
      ))}
    </svg>
  );
}

const counted = (e: Element) =>
  e.kind === "gear"
    ? `${e.teeth} teeth`
    : e.kind === "blades"
      ? `${e.count} blades`
      : e.kind === "bearing"
        ? `${e.rollers} rollers`
        : "";

function Shape({ of: e, x, y }: { of: Element; x: number; y: number }) {
  const pen = { fill: "var(--sheet)", stroke: "var(--ink)", strokeWidth: 1.75 };
  if (e.kind === "gear")
    return <path d={`M${x - 7} ${y - 15}h14v30h-14zM${x - 7} ${y - 8}h14M${x - 7} ${y + 8}h14`} {...pen} />;
  if (e.kind === "blades") return <path d={`M${x} ${y}l-5 -16q5 -4 10 0zM${x} ${y}l-5 16q5 4 10 0z`} {...pen} />;
  return (
    <>
      <path d={`M${x - 11} ${y - 13}h22v26h-22z`} {...pen} />
      <path d={`M${x - 11} ${y - 13}l22 26M${x + 11} ${y - 13}l-22 26`} stroke="var(--ink)" strokeWidth="1" />
    </>
  );
}

/** The lines with their orders and frequencies. */
export function LinesTable({ lines }: { lines: Line[] }) {
  return (
    <table className="w-full text-[13px]" aria-label="Lines of the machine">
      <thead className="sticky top-0 bg-sheet text-left text-soft">
        <tr>
          <th className="font-normal">Element</th>
          <th className="font-normal">Line</th>
          <th className="text-right font-normal">Order</th>
          <th className="text-right font-normal">Hz</th>
          <th className="text-right font-normal">Sidebands, Hz</th>
        </tr>
      </thead>
      <tbody>
        {lines.map((l) => (
          <tr key={`${l.element} ${l.says}`} className="border-t border-rule">
            <td>{l.element}</td>
            <td>{l.says}</td>
            <td className="num text-right">{digits(l.order, 5)}</td>
            <td className="num text-right" data-line={`${l.element} ${l.says}`}>
              {digits(l.hz, 5)}
            </td>
            <td className="num text-right">{l.sideband_hz == null ? "" : digits(l.sideband_hz, 4)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
