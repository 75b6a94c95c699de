/** The front end's connectors: used, free, with a caution, over range, selected. */
import type { RigBody } from "../../api/client";
import { Panel } from "../../ui/Panel";

export function PatchBay({
  rig,
  selected,
  onSelect,
}: {
  rig: RigBody;
  selected: number;
  onSelect: (input: number) => void;
}) {
  const f = rig.front_end;
  if (!f) {
    return (
      <Panel title="Patch bay">
        <p className="px-3 pb-3 text-[13px] text-soft">
          No front end is connected. Its connectors appear here as soon as it answers.
        </p>
      </Panel>
    );
  }
  const modules = [...new Set(f.inputs.map((i) => i.module))];
  const width = 292 / modules.length;
  const look = (number: number) => {
    const c = rig.rig.channels.find((c) => c.input === number);
    const own = rig.cautions.filter((k) => k.input === number);
    if (!c?.on) return { fill: "var(--sheet)", text: "var(--ink-soft)", says: "free" };
    if (own.some((k) => k.rule === "clipped"))
      return { fill: "var(--reef)", text: "var(--sheet)", says: `${c.name}, over range` };
    if (own.length) return { fill: "var(--lamp)", text: "var(--sheet)", says: `${c.name}, ${own[0]?.says}` };
    return { fill: "var(--ink)", text: "var(--sheet)", says: c.name };
  };
  return (
    <Panel title="Patch bay" aside={<span className="text-[12px] text-soft">{`${f.model}, serial ${f.serial}`}</span>}>
      <svg viewBox="0 0 300 116" className="mx-auto block w-full max-w-80 px-2 pb-2">
        <title>Connectors of the front end</title>
        {modules.map((m, k) => {
          const inputs = f.inputs.filter((i) => i.module === m);
          const x = 4 + k * width;
          return (
            <g key={m}>
              <rect x={x} y="3" width={width - 5} height="108" fill="none" stroke="var(--ink)" />
              <text x={x + 6} y="17" fontSize="11" fill="var(--ink-soft)">
                {m}
              </text>
              {inputs.map((input, i) => {
                const l = look(input.number);
                const cx = x + width * (i % 2 ? 0.71 : 0.26);
                const cy = 38 + 29 * Math.floor(i / 2);
                return (
                  // biome-ignore lint/a11y/noStaticElementInteractions: the row of the table is the keyboard's way here
                  <g key={input.number} className="cursor-pointer" onClick={() => onSelect(input.number)}>
                    <title>{`${input.number}: ${l.says}`}</title>
                    {input.number === selected && (
                      <circle cx={cx} cy={cy} r="13" fill="var(--shoal)" stroke="var(--harbour)" strokeWidth="2" />
                    )}
                    <circle
                      cx={cx}
                      cy={cy}
                      r="9.5"
                      fill={l.fill}
                      stroke={l.says === "free" ? "var(--ink-soft)" : l.fill}
                    />
                    <text x={cx} y={cy + 3.5} textAnchor="middle" fontSize="10" fill={l.text} className="num">
                      {input.number}
                    </text>
                  </g>
                );
              })}
            </g>
          );
        })}
      </svg>
    </Panel>
  );
}
