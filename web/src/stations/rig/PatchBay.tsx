/** The front ends' connectors: used, free, with a caution, over range, selected. */
import { useMemo } from "react";
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
  const chosen = new Set(selected);
  const large = f.inputs.length <= 32;
  const dot = (input: number, cx: number, cy: number, r: number) => {
    const look = looks.get(input) ?? { fill: "var(--sheet)", text: "var(--ink-soft)", says: "free" };
    const free = look.fill === "var(--sheet)";
    return (
      // biome-ignore lint/a11y/noStaticElementInteractions: the row of the table is the keyboard's way here
      <g key={input} className="cursor-pointer" data-socket={input} onClick={() => onSelect(input)}>
        <title>{look.says}</title>
        {chosen.has(input) && (
          <circle cx={cx} cy={cy} r={r * 1.38} fill="var(--shoal)" stroke="var(--harbour)" strokeWidth="2" />
        )}
        <circle cx={cx} cy={cy} r={r} fill={look.fill} stroke={free ? "var(--ink-soft)" : look.fill} />
        {large && (
          <text x={cx} y={cy + 3.5} textAnchor="middle" fontSize="10" fill={look.text} className="num">
            {input}
          </text>
        )}
      </g>
    );
  };
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
        {all.map((b, k) =>
          b.modules.map((m, j) => {
            const width = large ? 292 / b.modules.length : 34;
            const x = (large ? 4 : 22) + j * width;
            const y = large ? 3 : 4 + k * 66;
            const tall = large ? 108 : 58;
            return (
              <g key={m.name}>
                {j === 0 && !large && (
                  <text x={4} y={y + 34} fontSize="13" fontWeight="600" fill="var(--ink)">
                    {all.length > 1 ? b.name : ""}
                  </text>
                )}
                <rect x={x} y={y} width={width - (large ? 5 : 3)} height={tall} fill="none" stroke="var(--ink)" />
                {large && (
                  <text x={x + 6} y="17" fontSize="11" fill="var(--ink-soft)">
                    {m.name}
                  </text>
                )}
                {m.inputs.map((input, i) =>
                  large
                    ? dot(input, x + width * (i % 2 ? 0.71 : 0.26), 38 + 29 * Math.floor(i / 2), 9.5)
                    : dot(input, x + (i % 2 ? 22.5 : 8.5), y + 8.5 + 13.6 * Math.floor(i / 2), 4.6),
                )}
              </g>
            );
          }),
        )}
      </svg>
    </Panel>
  );
}
