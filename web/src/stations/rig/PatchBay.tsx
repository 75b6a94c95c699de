/** The front ends' connectors: used, free, with a caution, over range, selected. */
import { memo, useMemo } from "react";
import type { RigBody } from "../../api/client";
import { Panel } from "../../ui/Panel";

type Props = { rig: RigBody; selected: number[]; onSelect: (input: number) => void };

type Module = { name: string; inputs: number[] };
type Box = { name: string; modules: Module[] };

/** Front ends with their modules, in the order of their inputs. */
function boxes(rig: RigBody): Box[] {
  const all: Box[] = [];
  for (const i of rig.front_end?.inputs ?? []) {
    const at = i.unit ?? 0;
    all[at] ??= { name: String.fromCharCode(65 + at), modules: [] };
    const modules = all[at].modules;
    const last = modules[modules.length - 1];
    if (last?.name === i.module) last.inputs.push(i.number);
    else modules.push({ name: i.module, inputs: [i.number] });
  }
  return all;
}

export function PatchBay({ rig, selected, onSelect }: Props) {
  const f = rig.front_end;
  const all = useMemo(() => boxes(rig), [rig]);
  const looks = useMemo(() => {
    const map = new Map<number, { fill: string; text: string; says: string }>();
    for (const c of rig.rig.channels) {
      if (!c.on) map.set(c.input, { fill: "var(--sheet)", text: "var(--ink-soft)", says: `${c.label}: free` });
      else map.set(c.input, { fill: "var(--ink)", text: "var(--sheet)", says: `${c.label}: ${c.name}` });
    }
    for (const k of [...rig.cautions].reverse()) {
      if (!k.input || k.waived) continue;
      map.set(k.input, { fill: k.grave ? "var(--reef)" : "var(--lamp)", text: "var(--sheet)", says: k.says });
    }
    return map;
  }, [rig]);
  if (!f) {
    return (
      <Panel title="Patch bay" className="shrink-0">
        <p className="px-3 pb-3 text-[13px] text-soft">
          No front end is connected. Its connectors appear here as soon as it answers.
        </p>
      </Panel>
    );
  }
  const large = f.inputs.length <= 32;
  const height = large ? 116 : all.length * 66 + 6;
  return (
    <Panel
      title="Patch bay"
      className="shrink-0"
      aside={
        <span className="truncate text-[12px] text-soft">{large ? `${f.model}, serial ${f.serial}` : f.model}</span>
      }
    >
      <svg viewBox={`0 0 300 ${height}`} className="mx-auto block w-full max-w-80 px-2 pb-2">
        <title>Connectors of the front end</title>
        <Sockets all={all} looks={looks} large={large} onSelect={onSelect} />
        {selected.slice(0, 512).map((input) => {
          const at = place(all, input, large);
          return (
            at && (
              <circle
                key={input}
                cx={at.x}
                cy={at.y}
                r={(large ? 9.5 : 4.6) * 1.45}
                fill="none"
                stroke="var(--harbour)"
                strokeWidth="2"
                pointerEvents="none"
              />
            )
          );
        })}
      </svg>
    </Panel>
  );
}

/** Where a module's frame and its connectors lie. */
const frame = (large: boolean, modules: number, k: number, j: number) => {
  const width = large ? 292 / modules : 34;
  return { width, x: (large ? 4 : 22) + j * width, y: large ? 3 : 4 + k * 66 };
};
const spot = (large: boolean, x: number, y: number, width: number, i: number) =>
  large
    ? { x: x + width * (i % 2 ? 0.71 : 0.26), y: 38 + 29 * Math.floor(i / 2) }
    : { x: x + (i % 2 ? 22.5 : 8.5), y: y + 8.5 + 13.6 * Math.floor(i / 2) };

function place(all: Box[], input: number, large: boolean) {
  for (const [k, b] of all.entries())
    for (const [j, m] of b.modules.entries()) {
      const i = m.inputs.indexOf(input);
      if (i < 0) continue;
      const { width, x, y } = frame(large, b.modules.length, k, j);
      return spot(large, x, y, width, i);
    }
  return undefined;
}

type Look = { fill: string; text: string; says: string };
type SocketsProps = { all: Box[]; looks: Map<number, Look>; large: boolean; onSelect: (input: number) => void };

/** The connectors without the selection: drawn anew only when the rig changed. */
const Sockets = memo(function Sockets({ all, looks, large, onSelect }: SocketsProps) {
  const dot = (input: number, { x, y }: { x: number; y: number }) => {
    const look = looks.get(input) ?? { fill: "var(--sheet)", text: "var(--ink-soft)", says: "free" };
    const free = look.fill === "var(--sheet)";
    return (
      // biome-ignore lint/a11y/noStaticElementInteractions: the row of the table is the keyboard's way here
      <g key={input} className="cursor-pointer" data-socket={input} onClick={() => onSelect(input)}>
        <title>{look.says}</title>
        <circle cx={x} cy={y} r={large ? 9.5 : 4.6} fill={look.fill} stroke={free ? "var(--ink-soft)" : look.fill} />
        {large && (
          <text x={x} y={y + 3.5} textAnchor="middle" fontSize="10" fill={look.text} className="num">
            {input}
          </text>
        )}
      </g>
    );
  };
  return all.map((b, k) =>
    b.modules.map((m, j) => {
      const { width, x, y } = frame(large, b.modules.length, k, j);
      return (
        <g key={`${b.name}${m.name}`}>
          {j === 0 && !large && all.length > 1 && (
            <text x={4} y={y + 34} fontSize="13" fontWeight="600" fill="var(--ink)">
              {b.name}
            </text>
          )}
          <rect x={x} y={y} width={width - (large ? 5 : 3)} height={large ? 108 : 58} fill="none" stroke="var(--ink)" />
          {large && (
            <text x={x + 6} y="17" fontSize="11" fill="var(--ink-soft)">
              {m.name}
            </text>
          )}
          {m.inputs.map((input, i) => dot(input, spot(large, x, y, width, i)))}
        </g>
      );
    }),
  );
});
