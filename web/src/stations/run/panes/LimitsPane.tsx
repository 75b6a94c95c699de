/** Watched quantities as bars against caution and limit, and the alarms that nobody has seen yet. */
import { NavLink } from "react-router";
import type { Schema } from "../../../api/client";
import { useAcknowledge, useWatch } from "../../../api/rounds";
import { useTo } from "../../../shell/address";
import { useCampaign } from "../../../shell/useCampaign";
import { Button } from "../../../ui/Button";
import { digits, short } from "../../../ui/format";
import { Empty } from "../../../ui/Panel";

type Now = Schema["WatchedNow"];
export const zoneLook: Record<Now["zone"], { shape: string; colour: string; word: string }> = {
  good: { shape: "◆", colour: "text-lee", word: "good" },
  caution: { shape: "▲", colour: "text-lamp", word: "caution" },
  limit: { shape: "■", colour: "text-reef", word: "over its limit" },
};

export function LimitsPane() {
  const { id } = useCampaign();
  const to = useTo();
  const watch = useWatch(id).data;
  if (!watch || watch.now.length === 0)
    return (
      <Empty says="Nothing is watched yet.">
        <NavLink to={to("/plan/limits")} className="text-harbour underline">
          Set limits
        </NavLink>
      </Empty>
    );
  return (
    <div className="min-h-0 flex-1 overflow-auto px-3 pb-2">
      {watch.now.map((n) => (
        <Bar key={n.key} now={n} />
      ))}
      <Alarms alarms={watch.alarms.filter((a) => !a.acknowledged_at)} />
    </div>
  );
}

function Bar({ now: n }: { now: Now }) {
  const look = zoneLook[n.zone];
  const top = 1.15 * Math.max(n.limit ?? 0, n.caution ?? 0, n.limit || n.caution ? 0 : (n.value ?? 1));
  const share = (x: number) => `${Math.min((x / top) * 100, 100)}%`;
  return (
    <div className="mb-2">
      <p className="text-[12px] leading-4 text-soft">{n.watched}</p>
      <p className="leading-8">
        <span className="num text-[26px]">{digits(n.value, 3)}</span> {n.unit}{" "}
        <span className={`text-[13px] ${look.colour}`}>
          {look.shape} {look.word}
        </span>
      </p>
      <span
        className="relative block h-2 bg-trough"
        role="meter"
        aria-label={n.watched}
        aria-valuenow={n.value ?? 0}
        aria-valuemax={top}
      >
        <span
          className="absolute inset-y-0 left-0"
          style={{ width: share(n.value ?? 0), background: n.zone === "limit" ? "var(--reef)" : "var(--ink)" }}
        />
        {n.caution && <Level at={share(n.caution)} tone="--lamp" says={`caution ${short(n.caution)}`} />}
        {n.limit && <Level at={share(n.limit)} tone="--reef" says={`limit ${short(n.limit)}`} />}
      </span>
      <span className="block h-4" />
    </div>
  );
}

function Level({ at, tone, says }: { at: string; tone: string; says: string }) {
  return (
    <span className="absolute -top-1 h-4 border-l-2" style={{ left: at, borderColor: `var(${tone})` }}>
      <span className="absolute top-4 -translate-x-1/2 text-[11px] leading-3 whitespace-nowrap text-soft">{says}</span>
    </span>
  );
}

/** Alarms, newest first, each with what was seen of it. */
export function Alarms({ alarms }: { alarms: Schema["AlarmBody"][] }) {
  const { id } = useCampaign();
  const acknowledge = useAcknowledge(id);
  if (alarms.length === 0) return <p className="text-[13px] text-soft">No unacknowledged alarms.</p>;
  return (
    <ol aria-label="Alarms" className="text-[13px]">
      {alarms.map((a) => {
        const look = zoneLook[a.zone as Now["zone"]] ?? zoneLook.good;
        return (
          <li key={a.id} className="flex items-baseline gap-2 border-t border-rule py-0.5">
            <span className="num">{new Date(a.at).toLocaleTimeString("en-GB")}</span>
            <span className={look.colour}>{look.shape}</span>
            <span className="min-w-0 flex-1">
              {a.watched}: {a.says}
              {a.acknowledged_at && <span className="text-soft">, seen by {a.acknowledged_by}</span>}
            </span>
            {!a.acknowledged_at && (
              <Button look="link" aria-label={`Acknowledge ${a.watched}`} onClick={() => acknowledge.mutate(a.id)}>
                Acknowledge
              </Button>
            )}
          </li>
        );
      })}
    </ol>
  );
}
