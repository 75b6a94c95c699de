/** Speed of the plan's first tachometer: figure, quality, the pulse train against its threshold. */
import { useRef, useState } from "react";
import { NavLink } from "react-router";
import type { Schema } from "../../../api/client";
import { usePicture } from "../../../api/live";
import { usePlan } from "../../../api/queries";
import { useTo } from "../../../shell/address";
import { useCampaign } from "../../../shell/useCampaign";
import { pen, useCanvas } from "../../../ui/canvas";
import { digits, short } from "../../../ui/format";
import { Empty } from "../../../ui/Panel";
import { drawPulses } from "../../plan/pulses";

export function SpeedPane({ frozen }: { frozen: boolean }) {
  const { id } = useCampaign();
  const to = useTo();
  const tacho = usePlan(id).data?.plan.tachos?.[0];
  if (!tacho)
    return (
      <Empty says="The plan has no tachometer.">
        <NavLink to={to("/plan/speed")} className="text-harbour underline">
          Set one up
        </NavLink>
      </Empty>
    );
  return <Speed frozen={frozen} />;
}

function Speed({ frozen }: { frozen: boolean }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [r, setR] = useState<Schema["PulseReading"]>();
  useCanvas(canvas);
  usePicture(frozen ? undefined : { show: "speed" as const, points: 400 }, (p) => {
    setR(p.reading);
    const to = canvas.current && pen(canvas.current);
    if (to) drawPulses(to, p.values.subarray(0, p.points), p.values.subarray(p.points), p.tacho);
  });
  return (
    <div className="flex min-h-0 flex-1 flex-col px-3 pb-2">
      <p className="leading-10">
        <span className="num text-[38px]">{digits(r?.rpm, 4)}</span> <span className="text-[18px]">rpm</span>
      </p>
      <p className="text-[13px] text-soft">{r ? quality(r) : "nothing heard yet"}</p>
      {r?.says && <p className="text-[13px] text-lamp">▲ {r.says}</p>}
      <div className="relative min-h-10 flex-1">
        <canvas ref={canvas} role="img" aria-label="Pulse train" className="absolute inset-0 h-full w-full" />
      </div>
    </div>
  );
}

/** How the speed goes and how good its pulses are. */
export function quality(r: Omit<Schema["PulseReading"], "fitting">): string {
  const change = r.rpm_per_s ?? 0;
  const way =
    Math.abs(change) < 0.5 ? "steady" : `${change > 0 ? "rising" : "falling"} ${short(Math.abs(change), 2)} rpm/s`;
  const lost = r.missed === 0 ? "none missed" : `${r.missed} missed`;
  const twice = r.doubled === 0 ? "none doubled" : `${r.doubled} doubled`;
  const jitter =
    r.jitter === null || r.jitter === undefined
      ? ""
      : ` · jitter ${r.jitter < 1e-4 ? "below 0.01" : short(r.jitter * 100, 2)} %`;
  return `${way} · ${r.edges} edges · ${lost} · ${twice}${jitter}`;
}
