import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { useNavigate, useParams } from "react-router";
import { api, type RunDetail, told } from "../../api/client";
import { overview, useReport, useRun, useRuns, useSaveReport } from "../../api/queries";
import { useCampaign } from "../../shell/useCampaign";
import { Button } from "../../ui/Button";
import { digits } from "../../ui/format";
import { Empty, Panel, Wrong } from "../../ui/Panel";
import { Legend, type Mark, Plot, type Range } from "../../ui/Plot";
import { dashText } from "../../ui/traces";
import { Correction } from "./Correction";
import { Overview } from "./Overview";
import { Settings } from "./Settings";
import { recipeOf, useLook } from "./state";

/** Study: the run of the address, or the newest one. */
export function StudyStation() {
  const { id } = useCampaign();
  const runs = useRuns(id);
  const asked = Number(useParams().run);
  const newest = runs.data?.findLast((r) => r.samples > 0)?.id;
  const run = useRun(Number.isFinite(asked) && asked > 0 ? asked : newest);
  const go = useNavigate();
  if (run.error) return <Wrong error={run.error} />;
  if (!run.data) {
    return runs.data && newest === undefined ? (
      <Empty says="There is nothing to study yet. A recorded run appears here and in the log below.">
        <Button look="main" onClick={() => go("/run")}>
          Go to Run
        </Button>
      </Empty>
    ) : (
      <Empty says="The run is being opened." />
    );
  }
  if (run.data.samples === 0) {
    return (
      <Empty
        says={
          run.data.state === "recording"
            ? `Run ${run.data.number} is being recorded. It can be studied as soon as it has ended.`
            : `Run ${run.data.number} holds no samples: ${run.data.ended_because ?? ""}.`
        }
      />
    );
  }
  return <Bench key={run.data.id} run={run.data} campaign={id} />;
}

type Reading = { name: string; hz: number; value: number; channel: number };

function Bench({ run, campaign }: { run: RunDetail; campaign: number | undefined }) {
  const client = useQueryClient();
  const [look, setLook] = useLook(run.id);
  const known = run.channels.map((c) => c.channel);
  const channels = look.channels.filter((c) => known.includes(c));
  const chosen = channels.length ? channels : known.slice(0, 1);
  const bracket: Range = look.bracket ?? [0, run.duration_s];
  const [trail, setTrail] = useState<{ wave: Range[]; hz: (Range | null)[] }>({ wave: [], hz: [] });
  const [readings, setReadings] = useState<Reading[]>([]);
  const row = (channel: number) => run.channels.find((c) => c.channel === channel);
  const names = chosen.map((c) => row(c)?.recorded.name ?? "");
  const unit = row(chosen[0] ?? 1)?.recorded.unit ?? "";
  // Curves of different units cannot share an axis; those of the first one's unit are drawn.
  const drawn = chosen.filter((c) => row(c)?.recorded.unit === unit);
  const left_out = chosen.filter((c) => !drawn.includes(c));
  const sensitivities = drawn.map((c) => row(c)?.sensitivity.value).join();

  const [from, to] = bracket;
  const waveform = useQuery({
    queryKey: ["waveform", run.id, drawn, from, to, sensitivities],
    queryFn: ({ signal }) => overview(run.id, drawn, from, to, 900, signal),
    placeholderData: keepPreviousData,
  });
  const recipe = recipeOf({ ...look, channels: drawn }, from, to);
  const spectrum = useQuery({
    queryKey: ["spectrum", run.id, recipe, sensitivities],
    queryFn: ({ signal }) =>
      told(api.POST("/api/runs/{id}/results", { params: { path: { id: run.id } }, body: recipe as never, signal })),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const result = spectrum.data;

  const wave = useMemo(() => {
    const e = waveform.data ?? [];
    const n = e[0]?.high.length ?? 0;
    return {
      x: Float64Array.from({ length: n }, (_, i) => from + ((i + 0.5) / n) * (to - from)),
      curves: e.map((v, i) => ({ name: names[i] ?? "", high: v.high, low: v.low })),
    };
  }, [waveform.data, to, names, from]);
  const lines = useMemo(
    () => ({
      x: result?.axes[0]?.values ?? [],
      curves: (result?.traces ?? []).map((t) => ({ name: t.name, high: t.values })),
    }),
    [result],
  );
  const marks: Mark[] = useMemo(
    () => readings.map((r) => ({ x: r.hz, says: `${r.name} ${digits(r.hz, 5)}` })),
    [readings],
  );

  const setBracket = (to: Range) => setLook({ bracket: [Math.max(0, to[0]), Math.min(run.duration_s, to[1])] });
  const zoomWave = (to: Range) => {
    if (to[1] - to[0] < 4 / run.sample_rate_hz) return;
    setTrail((t) => ({ ...t, wave: [...t.wave, bracket] }));
    setBracket(to);
  };
  const zoomHz = (to: Range) => {
    setTrail((t) => ({ ...t, hz: [...t.hz, look.shown] }));
    setLook({ shown: [Math.max(0, to[0]), Math.min(run.sample_rate_hz / 2, to[1])] });
  };
  const toggle = (c: number) =>
    setLook({ channels: chosen.includes(c) ? chosen.filter((k) => k !== c) : [...chosen, c].slice(-8) });

  /** The listed peak nearest to a click, or the line itself where none is near. */
  const read = (hz: number, perPixel: number) => {
    const near = (result?.peaks ?? [])
      .filter((p) => Math.abs(p.frequency_hz - hz) < 14 * perPixel)
      .sort((a, b) => b.value - a.value)[0];
    let reading: Omit<Reading, "name"> | undefined = near && {
      hz: near.frequency_hz,
      value: near.value,
      channel: near.channel,
    };
    if (!reading && lines.x.length > 1) {
      const spacing = (lines.x[1] ?? 1) - (lines.x[0] ?? 0);
      const k = Math.round((hz - (lines.x[0] ?? 0)) / spacing);
      const value = result?.traces[0]?.values[k];
      if (value != null) reading = { hz: lines.x[k] ?? hz, value, channel: result?.traces[0]?.channel ?? 1 };
    }
    const found = reading;
    if (!found) return;
    setReadings((was) => {
      const name = "abcdefgh".split("").find((n) => !was.some((r) => r.name === n)) ?? "h";
      return [...was.filter((r) => Math.abs(r.hz - found.hz) > 1e-9).slice(-7), { name, ...found }];
    });
  };

  return (
    <div className="grid min-h-0 flex-1 grid-cols-[1fr_270px] grid-rows-[auto_1fr_1.35fr] gap-3">
      <div className="col-span-2">
        <Overview run={run} channel={drawn[0] ?? 1} bracket={bracket} onBracket={setBracket} />
      </div>
      <Panel title="Waveform" says={unit} aside={<Legend names={drawn.map((c) => row(c)?.recorded.name ?? "")} />}>
        <Wrong error={waveform.error} />
        <Plot
          label="Waveform of the bracket"
          x={wave.x}
          curves={wave.curves}
          range={bracket}
          xLabel="time, s"
          onZoom={zoomWave}
          onBracket={zoomWave}
          onBack={() => {
            setBracket(trail.wave.at(-1) ?? [0, run.duration_s]);
            setTrail((t) => ({ ...t, wave: t.wave.slice(0, -1) }));
          }}
        />
      </Panel>
      <aside className="row-span-2 flex min-h-0 flex-col gap-3">
        <Panel
          title="Channels"
          className="max-h-[30%]"
          aside={<span className="text-[12px] text-soft">{drawn.length} drawn</span>}
        >
          <ul className="min-h-0 overflow-auto px-3 pb-2 text-[13px]">
            {run.channels.map((c) => {
              const k = drawn.indexOf(c.channel);
              return (
                <li key={c.channel} className="flex items-center gap-2">
                  <label className="flex min-w-0 flex-1 cursor-pointer items-center gap-2">
                    <input
                      type="checkbox"
                      checked={chosen.includes(c.channel)}
                      onChange={() => toggle(c.channel)}
                      className="accent-harbour"
                    />
                    <span className="truncate">{c.recorded.name}</span>
                    {c.clipped && (
                      <span className="text-reef" title="over range somewhere in this run">
                        ■
                      </span>
                    )}
                  </label>
                  {k >= 0 && (
                    <svg width="20" height="6" aria-hidden>
                      <path
                        d="M0 3h20"
                        stroke={`var(--t${(k % 8) + 1})`}
                        strokeWidth="2"
                        strokeDasharray={dashText(k)}
                      />
                    </svg>
                  )}
                </li>
              );
            })}
          </ul>
          {left_out.length > 0 && (
            <p className="px-3 pb-2 text-[12px] text-lamp">
              ▲ {left_out.length} chosen in another unit than {unit}: not drawn here.
            </p>
          )}
        </Panel>
        <Panel title="Spectrum" className="flex-1">
          <div className="min-h-0 flex-1 overflow-auto px-3 pb-2">
            <Settings
              run={run}
              set={look.spectrum}
              unit={unit}
              result={result}
              onSet={(part) => setLook({ spectrum: { ...look.spectrum, ...part } })}
            />
            <h3 className="mt-2 border-t border-rule pt-2 font-semibold text-mark">Readings</h3>
            <Readings
              readings={readings}
              unit={result?.traces[0]?.unit ?? ""}
              onDrop={(r) => setReadings((was) => was.filter((x) => x !== r))}
            />
            <h3 className="mt-3 border-t border-rule pt-2 font-semibold">Sensitivity</h3>
            {drawn.map((c) => {
              const ch = row(c);
              return (
                ch && (
                  <div key={c} className="flex justify-between gap-2 text-[13px]">
                    <span className="truncate">{ch.recorded.name}</span>
                    <Correction run={run.id} channel={ch} />
                  </div>
                )
              );
            })}
          </div>
          <Actions
            run={run}
            recipe={recipe}
            shown={look.shown}
            campaign={campaign}
            onChanged={() => client.invalidateQueries({ queryKey: ["report"] })}
          />
        </Panel>
      </aside>
      <Panel
        title="Spectrum"
        says={`${result?.traces[0]?.quantity ?? ""}, ${result?.traces[0]?.unit ?? ""} · drag to zoom, double-click back, click to read`}
        aside={spectrum.isFetching ? <span className="text-[13px] text-soft">computing …</span> : undefined}
      >
        <Wrong error={spectrum.error} />
        <Plot
          label="Spectrum of the bracket"
          x={lines.x}
          curves={lines.curves}
          range={look.shown ?? undefined}
          xLabel="frequency, Hz"
          logY
          marks={marks}
          onZoom={zoomHz}
          onBracket={zoomHz}
          onBack={() => {
            const last = trail.hz.length ? trail.hz.at(-1) : [0, run.sample_rate_hz * run.clean_share];
            setLook({ shown: (last ?? null) as Range | null });
            setTrail((t) => ({ ...t, hz: t.hz.slice(0, -1) }));
          }}
          onPoint={read}
        />
      </Panel>
    </div>
  );
}

function Readings({ readings, unit, onDrop }: { readings: Reading[]; unit: string; onDrop: (r: Reading) => void }) {
  if (readings.length === 0)
    return <p className="text-[13px] text-soft">Click near a peak to read it between the lines.</p>;
  return (
    <table className="w-full text-[13px]" aria-label="Readings">
      <thead>
        <tr className="border-b border-ink text-right text-soft">
          <th />
          <th className="font-normal">Hz</th>
          <th className="font-normal">{unit}</th>
          <th />
        </tr>
      </thead>
      <tbody>
        {readings.map((r) => (
          <tr key={r.name} className="border-b border-rule">
            <td className="text-mark">{r.name}</td>
            <td className="num text-right" data-reading="hz">
              {digits(r.hz, 6)}
            </td>
            <td className="num text-right" data-reading="value">
              {digits(r.value, 4)}
            </td>
            <td className="text-right">
              <button
                type="button"
                aria-label={`Take reading ${r.name} away`}
                className="text-soft"
                onClick={() => onDrop(r)}
              >
                ×
              </button>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** What can be done with what is seen: keep the recipe, put it in the report, take the data along. */
function Actions({
  run,
  recipe,
  shown,
  campaign,
  onChanged,
}: {
  run: RunDetail;
  recipe: object;
  shown: Range | null;
  campaign: number | undefined;
  onChanged: () => void;
}) {
  const report = useReport(campaign).data;
  const save = useSaveReport(campaign);
  const go = useNavigate();
  const [error, setError] = useState<Error>();
  const toReport = async () => {
    try {
      await save.mutateAsync({
        title: report?.title ?? `Run ${run.number}`,
        findings: report?.findings ?? "",
        run_id: run.id,
        recipe: recipe as never,
        shown_hz: shown,
      });
      onChanged();
      go("/report");
    } catch (e) {
      setError(e as Error);
    }
  };
  return (
    <div className="flex flex-wrap items-center gap-3 border-t border-rule px-3 py-2">
      <Wrong error={error} />
      <Button onClick={toReport}>To report</Button>
      <a className="text-harbour hover:underline" href={`/api/runs/${run.id}/export.wav`} download>
        WAV
      </a>
      <a className="text-harbour hover:underline" href={`/api/runs/${run.id}/export.csv`} download>
        CSV
      </a>
    </div>
  );
}
