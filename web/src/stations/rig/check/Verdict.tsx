/** What follows from the pairs, and what becomes of it. */
import type { Channel, Fit } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { digits, plain, withUnit } from "../../../ui/format";
import { Panel } from "../../../ui/Panel";

type Props = {
  channel: Channel;
  /** The sensor that is checked. */
  sensor: string;
  fit: Fit | undefined;
  unit: string;
  busy: boolean;
  onJudge: (accept: boolean) => void;
};

export function Verdict({ channel, sensor, fit, unit, busy, onJudge }: Props) {
  const change = fit ? fit.gain - 1 : 0;
  return (
    <Panel title="What follows" className="flex-1">
      <div className="px-3 pb-3">
        <dl className="grid grid-cols-[auto_1fr] text-[13px] leading-6">
          <Line says="Sensor" value={sensor || "not named"} />
          <Line says="Gain" value={fit ? digits(fit.gain, 5) : "–"} />
          <Line says="Offset" value={fit ? withUnit(fit.offset, unit) : "–"} />
          <Line says="Linearity" value={fit ? linearity(fit) : "–"} />
          <Line says="Worst deviation" value={fit ? withUnit(fit.worst * 100, "%", 3) : "–"} />
          <Line says="As found" value={`${plain(channel.sensitivity.value)} ${channel.sensitivity.unit}`} />
          <Line
            says="By this check"
            value={fit ? `${plain(fit.sensitivity.value)} ${fit.sensitivity.unit}` : "–"}
            strong
          />
        </dl>
        {fit && Math.abs(change) > 0.1 && (
          <p className="text-[13px] text-lamp">
            ▲ {digits(change * 100, 2)} % is more than a sensor drifts; look at unit, cable and mounting first.
          </p>
        )}
        <div className="mt-3 flex gap-3">
          <Button look="main" disabled={!fit || busy} onClick={() => onJudge(true)}>
            Accept
          </Button>
          <Button disabled={!fit || busy} onClick={() => onJudge(false)}>
            Reject
          </Button>
        </div>
      </div>
    </Panel>
  );
}

function linearity(fit: Fit): string {
  if (fit.linearity == null) return "needs three levels";
  return fit.linearity < 1e-4 ? "< 0.01\u202f%" : withUnit(fit.linearity * 100, "%", 2);
}

function Line({ says, value, strong }: { says: string; value: string; strong?: boolean }) {
  return (
    <>
      <dt className="border-t border-rule text-soft">{says}</dt>
      <dd className={`num border-t border-rule text-right ${strong ? "font-bold" : ""}`}>{value}</dd>
    </>
  );
}
