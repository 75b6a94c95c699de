/** Takes of a run as events: peaks of every axis, the dominant one, duration, change of velocity; compared. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api, type RunDetail, told } from "../../api/client";
import { overview } from "../../api/queries";
import { useGo } from "../../shell/address";
import { Button } from "../../ui/Button";
import { NumberWord } from "../../ui/EntryWord";
import { axisName, digits } from "../../ui/format";
import { Empty, Panel, Wrong } from "../../ui/Panel";
import { Legend, Plot } from "../../ui/plot/Plot";
import { TableMenu } from "../../ui/TableMenu";
import { ChosenWord } from "../../ui/Word";

const POINTS = 600;

export function EventsView({ run }: { run: RunDetail }) {
  const motion = run.channels.filter((c) => c.recorded.quantity === "acceleration");
  const [axes, setAxes] = useState(() => (motion.length ? motion : run.channels).slice(0, 3).map((c) => c.channel));
  const [zero, setZero] = useState(true);
  const [lowpass, setLowpass] = useState<number>();
  const [chosen, setChosen] = useState<number[]>([]);
  const [shown, setShown] = useState(0);
  const go = useGo();
  const sensitivities = run.channels.map((c) => c.sensitivity.value).join();
  const events = useQuery({
    queryKey: ["events", run.id, axes, zero, lowpass, sensitivities],
    enabled: run.takes.length > 0 && axes.length > 0,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) =>
      told(
        api.POST("/api/runs/{id}/events", {
          params: { path: { id: run.id } },
          body: { channels: axes, zero, lowpass_hz: lowpass ?? null },
          signal,
        }),
      ),
  });
  const body = events.data;
  const compared = useMemo(
    () => (body?.events ?? []).filter((e) => (chosen.length ? chosen.includes(e.number) : e.number <= 1)),
    [body, chosen],
  );
  const axis = axes[Math.min(shown, axes.length - 1)] ?? 1;
  const waves = useQuery({
    queryKey: ["events-waves", run.id, axis, compared.map((e) => e.number), sensitivities],
    enabled: compared.length > 0,
    queryFn: ({ signal }) =>
      Promise.all(compared.map((e) => overview(run.id, [axis], e.from_s, e.to_s, POINTS, signal).then((o) => o[0]))),
  }).data;
  const picture = useMemo(() => {
    const first = compared[0];
    if (!first || !waves || waves.length !== compared.length) return undefined;
    // All begin as long before their trigger; a longer one is cut at the first one's end.
    const [from, length] = [first.from_s - first.trigger_s, first.to_s - first.from_s];
    const x = Float64Array.from({ length: POINTS }, (_, i) => (from + ((i + 0.5) / POINTS) * length) * 1000);
    const curves = compared.map((e, k) => ({
      name: `event ${e.number}`,
      high: waves[k]?.high ?? [],
      low: waves[k]?.low ?? [],
    }));
    return { x, curves };
  }, [compared, waves]);
  const name = (channel: number) => run.channels.find((c) => c.channel === channel)?.recorded.name ?? "";
  if (run.takes.length === 0)
    return (
      <Empty says="This run has no takes. Record with a trigger, and every trigger gives an event here.">
        <Button look="main" onClick={() => go("/plan")}>
          Set a trigger
        </Button>
      </Empty>
    );
  const toggle = (n: number) =>
    setChosen((was) => (was.includes(n) ? was.filter((x) => x !== n) : [...was, n].slice(-8)));
  return (
    <div className="grid min-h-0 flex-1 grid-rows-[1.2fr_1fr] gap-3">
      <Panel
        title="Events"
        says={
          <>
            axes{" "}
            {axes.map((a, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: an axis is its place
              <span key={i}>
                <ChosenWord
                  label={`Axis ${i + 1}`}
                  value={a}
                  options={[
                    ...run.channels.map((c) => ({ value: c.channel, says: c.recorded.name })),
                    ...(axes.length > 1 ? [{ value: 0, says: "no axis" }] : []),
                  ]}
                  onSet={(c) => setAxes(c ? axes.map((x, k) => (k === i ? c : x)) : axes.filter((_, k) => k !== i))}
                />{" "}
              </span>
            ))}
            {axes.length < 6 && (
              <ChosenWord
                label="Another axis"
                value={0}
                empty="and …"
                options={run.channels
                  .filter((c) => !axes.includes(c.channel))
                  .map((c) => ({ value: c.channel, says: c.recorded.name }))}
                onSet={(c) => setAxes([...axes, c])}
              />
            )}{" "}
            ·{" "}
            <ChosenWord
              label="Zero"
              value={zero ? "zero" : "raw"}
              options={[
                { value: "zero", says: "mean before the trigger removed" },
                { value: "raw", says: "as recorded" },
              ]}
              onSet={(v) => setZero(v === "zero")}
            />{" "}
            · {lowpass ? "below " : ""}
            <NumberWord label="Low-pass" value={lowpass} none="not filtered" unit="Hz" low={0.1} onSet={setLowpass} />
          </>
        }
        aside={<TableMenu name="events" />}
        className="min-h-0"
      >
        <Wrong error={events.error} />
        <div className="min-h-0 flex-1 overflow-auto px-3 pb-2">
          <table className="w-full text-[13px]" aria-label="Events" aria-busy={events.isFetching}>
            <thead className="sticky top-0 bg-sheet text-right text-soft">
              <tr>
                <th className="text-left font-normal">No.</th>
                <th className="font-normal">at, s</th>
                {(body?.axes ?? []).map((a) => (
                  <th key={a} className="pl-3 font-normal">
                    {a}, {body?.unit}
                  </th>
                ))}
                <th className="pl-3 font-normal">resultant, {body?.unit}</th>
                <th className="pl-3 text-left font-normal">dominant</th>
                <th className="pl-3 font-normal">duration above 10 %, ms</th>
                <th className="pl-3 font-normal">half sine, ms</th>
                <th className="pl-3 font-normal">
                  {body?.velocity ? "Δv" : "integral"}, {body?.integral_unit}
                </th>
              </tr>
            </thead>
            <tbody>
              {body?.events.map((e) => (
                <tr key={e.number} className={`border-t border-rule ${chosen.includes(e.number) ? "bg-shoal" : ""}`}>
                  <td>
                    <button
                      type="button"
                      aria-label={`Compare event ${e.number}`}
                      aria-pressed={chosen.includes(e.number)}
                      className="text-harbour hover:underline"
                      onClick={() => toggle(e.number)}
                    >
                      {e.number}
                    </button>
                  </td>
                  <td className="num text-right">{e.trigger_s.toFixed(3)}</td>
                  {e.event ? (
                    <>
                      {e.event.axes.map((a, i) => (
                        <td
                          // biome-ignore lint/suspicious/noArrayIndexKey: an axis is its place
                          key={i}
                          className={`num pl-3 text-right ${i === e.event?.dominant ? "font-bold" : ""}`}
                          data-event={i === e.event?.dominant ? "peak" : undefined}
                        >
                          {digits(a.peak, 4)}
                        </td>
                      ))}
                      <td className="num pl-3 text-right">{digits(e.event.resultant, 4)}</td>
                      <td className="pl-3">{body.axes[e.event.dominant]}</td>
                      <td className="num pl-3 text-right">{digits(e.event.duration_s * 1000, 4)}</td>
                      <td className="num pl-3 text-right" data-event="length">
                        {digits(e.event.half_sine_s * 1000, 4)}
                      </td>
                      <td className="num pl-3 text-right">
                        {digits(e.event.axes[e.event.dominant]?.integral ?? Number.NaN, 3)}
                      </td>
                    </>
                  ) : (
                    <td colSpan={body.axes.length + 5} className="pl-3 text-reef">
                      {e.refused}
                    </td>
                  )}
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      </Panel>
      <Panel
        title="Compared"
        says={
          <>
            <ChosenWord
              label="Axis compared"
              value={axis}
              options={axes.map((a) => ({ value: a, says: name(a) }))}
              onSet={(a) => setShown(axes.indexOf(a))}
            />
            , {body?.unit}, by the trigger · press a number above to add an event
          </>
        }
        aside={<Legend names={compared.map((e) => `event ${e.number}`)} />}
      >
        {picture && (
          <Plot
            label="Events compared"
            x={picture.x}
            curves={picture.curves}
            xLabel="time from the trigger, ms"
            yLabel={axisName(name(axis), body?.unit)}
          />
        )}
      </Panel>
    </div>
  );
}
