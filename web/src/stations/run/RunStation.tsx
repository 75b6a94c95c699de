import { useMemo, useRef, useState } from "react";
import { usePictures, useStatus } from "../../api/live";
import { usePlan, useRig, useRuns } from "../../api/queries";
import { captureName, progressOf, stateLook } from "../../shell/capture";
import { useCampaign } from "../../shell/useCampaign";
import { clock, rate, short, span, withUnit } from "../../ui/format";
import { Empty, Panel, Wrong } from "../../ui/Panel";
import { type Curve, Legend, Plot, type PlotHandle } from "../../ui/Plot";
import { ChosenWord } from "../../ui/Word";
import { MeterBridge } from "./MeterBridge";

const POINTS = 700;
const lengths = [0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10];
const blocks = [2048, 4096, 8192, 16384, 32768, 65536];

/** Run: what is heard now, and what is being recorded. */
export function RunStation() {
  const { id } = useCampaign();
  const rig = useRig(id);
  const status = useStatus();
  const plan = usePlan(id).data?.plan;
  const [inputs, setInputs] = useState([7, 8]);
  const [seconds, setSeconds] = useState(0.2);
  const [block, setBlock] = useState(16384);
  const [toHz, setToHz] = useState(1500);
  const [frozen, setFrozen] = useState(false);
  const waveform = useRef<PlotHandle>(null);
  const spectrum = useRef<PlotHandle>(null);
  const channels = rig.data?.rig.channels ?? [];
  const shown = useMemo(() => inputs.filter((i) => channels.some((c) => c.input === i && c.on)), [inputs, channels]);
  const names = shown.map((i) => channels.find((c) => c.input === i)?.name ?? "");
  const unit = channels.find((c) => c.input === shown[0])?.unit ?? "";
  const empty = useMemo(() => shown.map((i): Curve => ({ name: String(i), high: [], low: [] })), [shown]);
  const emptyLines = useMemo(() => shown.map((i): Curve => ({ name: String(i), high: [] })), [shown]);

  const wish = frozen
    ? undefined
    : { waveform: { inputs: shown, seconds, points: POINTS }, spectrum: { inputs: shown, block, to_hz: toHz } };
  usePictures(wish, (p) => {
    if (p.kind === "levels" || p.inputs.join() !== shown.join()) return;
    if (p.kind === "waveform") {
      const n = p.points;
      const x = Float64Array.from({ length: n }, (_, i) => (i / (n - 1) - 1) * p.seconds);
      const curves = p.inputs.map((input, i) => ({
        name: String(input),
        low: p.values.subarray(2 * i * n, (2 * i + 1) * n),
        high: p.values.subarray((2 * i + 1) * n, (2 * i + 2) * n),
      }));
      waveform.current?.draw(x, curves);
    } else {
      const n = p.lines;
      const x = Float64Array.from({ length: n }, (_, i) => i * p.line_hz);
      spectrum.current?.draw(
        x,
        p.inputs.map((input, i) => ({ name: String(input), high: p.values.subarray(i * n, (i + 1) * n) })),
      );
    }
  });

  if (!rig.data) return rig.error ? <Wrong error={rig.error} /> : <Empty says="The rig is being read." />;
  const toggle = (input: number) =>
    setInputs((was) => (was.includes(input) ? was.filter((i) => i !== input) : [...was, input].slice(-8)));
  const heard = status?.link.link === "connected";

  return (
    <div className="grid min-h-0 flex-1 grid-cols-[1fr_290px] grid-rows-[auto_1fr_1fr] gap-3">
      <div className="col-span-2">
        <MeterBridge channels={channels} shown={shown} onToggle={toggle} />
      </div>
      <Panel
        title="Waveform"
        says={
          <>
            the last{" "}
            <ChosenWord
              label="Shown length"
              value={seconds}
              options={lengths.map((s) => ({ value: s, says: `${short(s)} s` }))}
              onSet={setSeconds}
            />
            , {unit}
          </>
        }
        aside={
          <>
            <Legend names={names} />
            <button
              type="button"
              aria-pressed={frozen}
              className="text-[13px] text-harbour underline"
              onClick={() => setFrozen(!frozen)}
            >
              {frozen ? "Go on" : "Freeze"}
            </button>
          </>
        }
      >
        {!heard ? (
          <Empty says="Nothing is heard: no front end is connected. Choose one in the bar above." />
        ) : shown.length === 0 ? (
          <Empty says="No channel is chosen. Press a bar above to show its waveform and spectrum here." />
        ) : (
          <Plot label="Live waveform" x={[]} curves={empty} xLabel="time before now, s" handle={waveform} />
        )}
      </Panel>
      <Now />
      <Panel
        title="Spectrum"
        says={
          <>
            blocks of{" "}
            <ChosenWord
              label="Block"
              value={block}
              options={blocks.map((b) => ({ value: b, says: String(b) }))}
              onSet={setBlock}
            />{" "}
            to{" "}
            <ChosenWord
              label="Highest frequency"
              value={toHz}
              options={[200, 500, 1000, 1500, 5000, 10000, 20000].map((f) => ({ value: f, says: rate(f) }))}
              onSet={setToHz}
            />
            , Hann, {unit} peak{plan && <>, lines {withUnit(plan.sample_rate_hz / block, "Hz", 3)} apart</>}
          </>
        }
      >
        {heard && shown.length > 0 ? (
          <Plot label="Live spectrum" x={[]} curves={emptyLines} logY xLabel="frequency, Hz" handle={spectrum} />
        ) : (
          <Empty says="The spectrum of the chosen channels appears here." />
        )}
      </Panel>
      <Takes />
    </div>
  );
}

/** The state in words that can be read from three metres. */
function Now() {
  const status = useStatus();
  const { id } = useCampaign();
  const plan = usePlan(id).data?.plan;
  const state = captureName(status);
  const look = stateLook[state];
  const p = progressOf(status);
  const ended = status?.ended;
  const elapsed = p ? p.samples / p.sample_rate_hz : 0;
  const share = p?.planned ? p.samples / p.planned : undefined;
  const waits =
    status?.link.link !== "connected"
      ? "No front end is connected. Nothing can be recorded until it answers."
      : !status.store
        ? "The database is away. Recording cannot start, nothing would be kept."
        : state === "armed"
          ? "Ready. Waits for Record."
          : state === "idle"
            ? `Record makes a run of ${plan?.length.ends === "after" ? span(plan.length.duration_s) : "open length"} at ${plan ? rate(plan.sample_rate_hz) : ""}.`
            : "";
  return (
    <Panel title="Now">
      <div className="flex flex-col gap-2 px-3 pb-3" aria-live="polite">
        <p className={`text-[28px] leading-9 font-semibold ${look.colour}`}>
          {look.shape} {look.word}
        </p>
        {p && <p className="num text-[32px] leading-9">{clock(elapsed)}</p>}
        {p && share !== undefined && (
          <span
            className="block h-2 bg-trough"
            role="progressbar"
            aria-label="Share recorded"
            aria-valuenow={Math.round(share * 100)}
          >
            <span className="block h-full bg-buoy" style={{ width: `${share * 100}%` }} />
          </span>
        )}
        {p && (
          <p className="text-[13px] text-soft">
            run {p.number} · {p.channels} channels ·{" "}
            {p.lost_blocks === 0 ? "no block lost" : `${p.lost_blocks} blocks lost`}
          </p>
        )}
        {waits && (
          <p className={status?.store === false || status?.link.link !== "connected" ? "text-reef" : "text-soft"}>
            {waits}
          </p>
        )}
        {!p && ended && (
          <p className={`border-l-4 px-2 ${ended.whole ? "border-lee" : "border-reef text-reef"}`}>
            Run {ended.number} ended: {ended.because}.{" "}
            {ended.lost_blocks === 0 ? "No block was lost." : `${ended.lost_blocks} blocks were lost.`}
            {!ended.whole && " What came until then is kept."}
          </p>
        )}
      </div>
    </Panel>
  );
}

/** The last runs with how they ended. */
function Takes() {
  const { id } = useCampaign();
  const runs = [...(useRuns(id).data ?? [])].reverse().slice(0, 12);
  return (
    <Panel title="Runs">
      <div className="min-h-0 overflow-auto px-3 pb-2">
        {runs.length === 0 && <p className="text-[13px] text-soft">None yet. Record makes the first.</p>}
        <table className="w-full text-[13px]">
          <tbody>
            {runs.map((r) => (
              <tr key={r.id} className="border-b border-rule">
                <td className="num py-1">{r.number}</td>
                <td className="num">{new Date(r.started_at).toLocaleTimeString("en-GB")}</td>
                <td className="num text-right">{r.state === "recording" ? "" : span(r.duration_s)}</td>
                <td
                  className={`pl-3 ${r.state === "broken" ? "text-reef" : r.state === "recording" ? "text-buoy" : ""}`}
                  title={r.ended_because ?? ""}
                >
                  {r.state === "whole" ? "kept" : r.state === "broken" ? "▣ broken off" : "● going"}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Panel>
  );
}
