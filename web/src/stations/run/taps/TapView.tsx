/** A tap series: where the next hit belongs, what the last one was worth, what a colleague would say. Read from three
 * metres, worked by one key and by ear. */
import { useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useEffect, useRef, useState } from "react";
import { api, type Channel, told } from "../../../api/client";
import { useLevels, useStatusOf } from "../../../api/live";
import { usePlan } from "../../../api/queries";
import { type Act, type Series, type TapPlan, useAllSeries, useSeries, useSeriesActs } from "../../../api/taps";
import { useKeys } from "../../../shell/keys";
import { Button } from "../../../ui/Button";
import { digits } from "../../../ui/format";
import { Empty, Wrong } from "../../../ui/Panel";
import { ChosenWord } from "../../../ui/Word";
import { useSpecimen } from "../../rig/specimen/useSpecimen";
import { RunNav } from "../RunNav";
import { HitPlots } from "./HitPlots";
import { PointsTable } from "./PointsTable";
import { SeriesWords } from "./SeriesWords";
import { play, useSounds } from "./sounds";
import { TapDrawing } from "./TapDrawing";
import { usual } from "./usual";

type Props = { campaign: number; channels: Channel[] };

const framed = (what: ReactNode) => (
  <div className="flex min-h-0 flex-1 flex-col gap-2">
    <RunNav view="taps" />
    {what}
  </div>
);

export function TapView({ campaign, channels }: Props) {
  const all = useAllSeries(campaign);
  const [chosen, setChosen] = useState<number>();
  const [beginning, setBeginning] = useState(false);
  if (!all.data) return framed(all.error ? <Wrong error={all.error} /> : <Empty says="Reading the series …" />);
  const newest = all.data[0]?.id;
  if (newest === undefined || beginning)
    return framed(
      <Begin
        campaign={campaign}
        channels={channels}
        onBegun={(id) => {
          setChosen(id);
          setBeginning(false);
        }}
        onCancel={newest === undefined ? undefined : () => setBeginning(false)}
      />,
    );
  const id = all.data.some((s) => s.id === chosen) ? (chosen ?? newest) : newest;
  return (
    <OneSeries
      key={id}
      id={id}
      channels={channels}
      which={
        <>
          <ChosenWord
            label="Series"
            value={id}
            options={all.data.map((s) => ({
              value: s.id,
              says: `series ${s.number}: ${s.points} points, ${s.hits} hits`,
              face: `Series ${s.number}`,
            }))}
            onSet={setChosen}
          />
          <Button look="link" onClick={() => setBeginning(true)}>
            New series
          </Button>
        </>
      }
    />
  );
}

function Begin(p: Props & { onBegun: (id: number) => void; onCancel: (() => void) | undefined }) {
  const { campaign, channels } = p;
  const specimen = useSpecimen(campaign);
  const rate = usePlan(campaign).data?.plan.sample_rate_hz;
  const [plan, setPlan] = useState<TapPlan>();
  const [error, setError] = useState<Error>();
  const now = plan ?? usual(channels, specimen.data?.specimen.geometry);
  if (!now)
    return (
      <Empty says="A tap series needs a hammer and a sensor of motion. Switch on a channel that measures force and one that measures motion in the rig, and say at which points they are." />
    );
  const begin = async () => {
    setError(undefined);
    try {
      const made = await told(api.POST("/api/campaigns/{id}/taps", { params: { path: { id: campaign } }, body: now }));
      p.onBegun(made.id);
    } catch (e) {
      setError(e as Error);
    }
  };
  return (
    <section aria-label="New series" className="panel flex max-w-[1000px] flex-col gap-3 p-4">
      <h2 className="text-[18px] font-semibold">A new tap series</h2>
      <SeriesWords
        plan={now}
        channels={channels}
        lineHz={rate && 1 / now.length_s}
        onSet={async (to) => setPlan(to)}
        onError={setError}
      />
      <Wrong error={error} />
      <p className="flex gap-2">
        <Button look="main" onClick={begin}>
          Begin the series
        </Button>
        {p.onCancel && <Button onClick={p.onCancel}>Cancel</Button>}
      </p>
    </section>
  );
}

const TONE: Record<string, string> = { Good: "text-lee" };

function OneSeries({ id, channels, which }: { id: number; channels: Channel[]; which: ReactNode }) {
  // A point that is looked at; the newest hit's otherwise.
  const [look, setLook] = useState<number>();
  const [pair, setPair] = useState(0);
  const [error, setError] = useState<Error>();
  // The sentence makes room while hits are waited for, unless it is wanted.
  const [folded, setFolded] = useState<boolean>();
  const series = useSeries(id, look);
  const acts = useSeriesActs(id);
  const capture = useStatusOf((s) => s?.capture.state);
  const data = series.data;
  useHeard(data);
  useCircuits(data?.advice);
  const tried = (done: Promise<unknown>) => {
    setError(undefined);
    done.catch(setError);
  };
  const act = (what: Act) => tried(acts.act.mutateAsync(what));
  const recording = data?.recording != null;
  const step = (by: number) => {
    if (data) act({ act: "go_to", point: (data.upcoming + by + data.points.length) % data.points.length });
  };
  const go = () => tried(acts.go.mutateAsync());
  // Whoever moves on sees the newest hit again.
  const count = data?.heard?.count;
  // biome-ignore lint/correctness/useExhaustiveDependencies: it is the hit that is waited for
  useEffect(() => setLook(undefined), [count]);
  useKeys("Tap series", [
    { key: "Enter", says: "Take the hit", run: () => act({ act: "accept" }) },
    { key: "Space", says: "Take the hit (a foot pedal sends this)", run: () => act({ act: "accept" }) },
    { key: "Backspace", says: "Take the last hit back", run: () => act({ act: "take_back" }) },
    { key: "ArrowLeft", says: "The point before", run: () => step(-1) },
    { key: "ArrowRight", says: "The next point", run: () => step(1) },
    { key: "s", says: "Leave this point out", run: () => act({ act: "skip" }) },
    {
      key: "n",
      says: "Measure this point anew",
      run: () => data && act({ act: "repeat", point: look ?? data.upcoming }),
    },
    ...(recording || capture !== "idle" ? [] : [{ key: "g", says: "Go on with the series", run: go }]),
  ]);
  if (!data) return series.error ? <Wrong error={series.error} /> : <Empty says="Reading the series …" />;
  const shown = look ?? data.last?.point ?? data.upcoming;
  const next = data.points[data.upcoming];
  const open = folded === undefined ? !recording : !folded;
  const doubtful = data.advice.find((a) => a.rule === "point_uncertain");
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-2">
      <RunNav view="taps">
        <span className="flex items-baseline gap-4 pb-1">
          {which}
          <Button look="link" aria-expanded={open} onClick={() => setFolded(open)}>
            {open ? "Fold" : "Show how"}
          </Button>
        </span>
        <span className="ml-auto" />
        {data.unfit && <span className="truncate pb-1 text-lamp">▲ {data.unfit}</span>}
        <span className="pb-1">
          {recording ? (
            <span className="font-semibold text-buoy">◔ Armed, waits for a hit</span>
          ) : (
            <Button look="main" hint="G" className="h-7!" disabled={capture !== "idle"} onClick={go}>
              {data.last ? "Go on" : "Wait for hits"}
            </Button>
          )}
        </span>
      </RunNav>
      {open && (
        <SeriesWords
          plan={data.plan}
          channels={channels}
          lineHz={data.line_hz}
          onSet={(plan) => acts.change(plan, data.version)}
          onError={setError}
        />
      )}
      <Wrong error={error ?? series.error} />
      <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)_276px] grid-rows-[minmax(0,1fr)_auto] gap-2">
        <section aria-label="Now" className="panel flex min-h-0 flex-col">
          <div className="flex min-h-0 flex-1">
            <Big series={data} says={next?.says ?? ""} />
            <TapDrawing series={data} />
          </div>
          <p className="flex items-baseline gap-4 border-t border-rule px-4 py-1.5">
            {data.last && (
              <span>
                <b className="num">{digits(data.last.peak_n, 3)} N</b>, {data.last.says}
              </span>
            )}
            <span className="text-soft">so far</span>
            {data.tally.map((t) => (
              <span key={t.word} className={t.word === "Good" ? "text-lee" : "text-reef"}>
                {t.count} {t.word.toLowerCase()}
              </span>
            ))}
            {data.tally.length === 0 && <span className="text-soft">no hit</span>}
          </p>
          {data.advice.length > 0 && (
            <ul
              aria-label="What a colleague would say"
              className="max-h-20 overflow-auto border-t border-rule px-4 py-1"
            >
              {data.advice.map((a) => (
                <li
                  key={a.rule === "unheard" ? a.says : `${a.rule} ${a.point}`}
                  className={`text-[13px] leading-5 ${a.rule === "unheard" ? "font-semibold text-reef" : "text-lamp"}`}
                >
                  ▲ {a.says}
                  {a.decay_s != null && (
                    <>
                      {" "}
                      <Button
                        look="link"
                        className="text-[13px]"
                        onClick={() => {
                          const exponential_window = { decay_s: a.decay_s as number };
                          tried(acts.change({ ...data.plan, exponential_window }, data.version));
                        }}
                      >
                        Take this window
                      </Button>
                    </>
                  )}
                  {a === doubtful && a.point != null && (
                    <>
                      {" "}
                      <Button
                        look="link"
                        className="text-[13px]"
                        onClick={() => act({ act: "repeat", point: a.point as number })}
                      >
                        Measure again
                      </Button>
                    </>
                  )}
                </li>
              ))}
            </ul>
          )}
        </section>
        <PointsTable
          series={data}
          shown={shown}
          onShow={setLook}
          onGo={(point) => act({ act: "go_to", point })}
          onRepeat={(point) => act({ act: "repeat", point })}
          onDecide={(hit, counts) => act({ act: "decide", hit: hit.hit, counts })}
        />
        <HitPlots series={data} point={shown} pair={pair} onPair={setPair} />
      </div>
      <Keys />
    </div>
  );
}

/** How long what is said of circuits may not fit what is seen of them before it is asked again, ms. */
const AGAIN = 2000;

/** Reads series anew when a sensor's circuit opens or closes, and lets it be heard: no hit tells of that. */
function useCircuits(advice: Series["advice"] | undefined) {
  const client = useQueryClient();
  const known = useRef("");
  const told = useRef<string[]>([]);
  const asked = useRef(0);
  useEffect(() => {
    const now = (advice ?? []).flatMap((a) => (a.rule === "unheard" ? [a.says] : []));
    if (now.some((says) => !told.current.includes(says))) play("look");
    told.current = now;
  }, [advice]);
  useLevels((levels) => {
    const now = levels.flatMap((l) => (l.circuit === "in order" ? [] : [`${l.input} ${l.circuit}`])).join(", ");
    // A circuit may open for less than the time between two pictures: what is said is asked again while it does not fit.
    const fits = (now === "") === (told.current.length === 0);
    if (now === known.current && (fits || performance.now() - asked.current < AGAIN)) return;
    known.current = now;
    asked.current = performance.now();
    client.invalidateQueries({ queryKey: ["taps"] });
  });
}

/** Plays what is heard, once. */
function useHeard(series: Series | undefined) {
  const known = useRef<number>(undefined);
  const count = series?.heard?.count;
  const heard = series?.heard?.heard;
  useEffect(() => {
    if (series === undefined) return;
    if (known.current !== undefined && count !== undefined && heard && count > known.current) play(heard);
    known.current = count ?? 0;
  }, [series, count, heard]);
}

/** Where the next hit belongs, and what the last one was, to be read from three metres. */
function Big({ series, says }: { series: Series; says: string }) {
  const { plan, points, upcoming, last } = series;
  const point = points[upcoming];
  const all = point === undefined || series.done === points.length;
  const size = says.length > 6 ? 60 : says.length > 4 ? 84 : 112;
  const dots = plan.hits <= 10;
  return (
    <div className="flex min-w-0 flex-[1.1] flex-col justify-center overflow-hidden px-5" aria-live="polite">
      <p className="text-[16px] leading-5 text-soft">
        {all ? "Every point is done" : plan.roving === "hammer" ? "Hammer on" : "Sensor on"}
      </p>
      <p className="leading-none font-semibold whitespace-nowrap" style={{ fontSize: size }} data-upcoming={says}>
        {says}
      </p>
      {point && (
        <p className="flex flex-wrap items-center gap-2 text-[22px] leading-8">
          {dots &&
            Array.from({ length: plan.hits }, (_, k) => (
              <svg
                // biome-ignore lint/suspicious/noArrayIndexKey: the dots have no other names
                key={k}
                width="22"
                height="22"
                viewBox="0 0 26 26"
                aria-hidden
              >
                <circle
                  cx="13"
                  cy="13"
                  r="10"
                  stroke="var(--ink)"
                  strokeWidth="1.5"
                  fill={k < point.standing ? "var(--ink)" : "none"}
                />
              </svg>
            ))}
          <span className="whitespace-nowrap">
            {point.standing} of {plan.hits}
          </span>
          {last && (
            <span
              className={`pl-6 text-[40px] leading-none font-semibold whitespace-nowrap ${TONE[last.word] ?? "text-reef"}`}
              data-verdict={last.word}
            >
              {last.word}
              {last.point !== upcoming && (
                <span className="pl-3 text-[16px] font-normal text-soft">on {points[last.point]?.says}</span>
              )}
            </span>
          )}
        </p>
      )}
    </div>
  );
}

function Keys() {
  const [sounds, setSounds] = useSounds();
  const keys = [
    ["Enter", "takes a hit"],
    ["⌫", "takes the last one back"],
    ["← →", "another point"],
    ["S", "leaves it out"],
    ["N", "measures it anew"],
  ];
  return (
    <p className="flex items-center gap-5 text-[14px]">
      {keys.map(([k, says]) => (
        <span key={k} className="whitespace-nowrap">
          <kbd className="text-[13px]!">{k}</kbd> {says}
        </span>
      ))}
      <span className="ml-auto" />
      <button
        type="button"
        className="font-semibold whitespace-nowrap"
        aria-pressed={sounds}
        onClick={() => setSounds(!sounds)}
      >
        {sounds ? "Sounds on" : "Sounds off"}
      </button>
      <span className="text-[13px] whitespace-nowrap text-soft">
        knock good, two low again, chime next point, falling look
      </span>
    </p>
  );
}
