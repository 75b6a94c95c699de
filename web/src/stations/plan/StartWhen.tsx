/** What a take begins with: conditions, time before, hold-off, how many; tried on a recorded run. */
import { useMutation, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api, type Schema, told } from "../../api/client";
import { overview, useRun, useRuns } from "../../api/queries";
import { Button } from "../../ui/Button";
import { NumberWord } from "../../ui/EntryWord";
import { axisName, plain, whole } from "../../ui/format";
import { Panel, Wrong } from "../../ui/Panel";
import { Plot } from "../../ui/plot/Plot";
import { ChosenWord } from "../../ui/Word";
import { type Condition, freshCondition, kinds, Sentence, watchedInput } from "./conditions";
import type { PlanProps } from "./planProps";

type Trigger = Schema["Trigger"];

/** A take begins when Record is pressed, and keeps nothing from before. */
const byHand: Trigger = { conditions: [], join: "any", within_s: 0.1, pre_s: 0, hold_off_s: 0, takes: null };

export function StartWhen(props: PlanProps) {
  const { body, channels, set } = props;
  const [error, setError] = useState<Error>();
  const plan = body.plan;
  const t = plan.start;
  const conditions = t?.conditions ?? [];
  const write = (part: Partial<Trigger>, removed?: string) => {
    setError(undefined);
    const done = set({ start: { ...byHand, ...t, ...part } }, removed);
    done.catch(setError);
    return done;
  };
  const add = (kind: (typeof kinds)[number]["value"]) => {
    const c = freshCondition(kind, channels, plan);
    if (typeof c === "string") setError(new Error(c));
    else write({ conditions: [...conditions, c] }).catch(() => undefined);
  };
  const time = (label: string, key: "pre_s" | "hold_off_s" | "within_s", value: number) => (
    <NumberWord label={label} value={value} unit="s" low={0} high={3600} onSet={(x) => write({ [key]: x })} />
  );
  return (
    <Panel title="Start when" className="min-h-0">
      <div className="flex min-h-0 flex-1 flex-col overflow-auto px-3 pb-2 text-[15px] leading-8">
        {conditions.length === 0 && <p>Record is pressed.</p>}
        {conditions.length > 1 && (
          <p>
            <ChosenWord
              label="How they work together"
              value={t?.join ?? "any"}
              options={[
                { value: "any", says: "any" },
                { value: "all", says: "all" },
              ]}
              onSet={(join) => {
                write({ join }).catch(() => undefined);
              }}
            />{" "}
            of these {t?.join === "all" ? "come true within " : "is true"}
            {t?.join === "all" && time("Within", "within_s", t.within_s ?? 0.1)}
          </p>
        )}
        {conditions.map((c, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: a condition is its place in the list
          <p key={i}>
            <b className="num text-mark">{i + 1}</b>{" "}
            <Sentence
              condition={c}
              channels={channels}
              onSet={(to) => write({ conditions: conditions.map((x, k) => (k === i ? to : x)) })}
            />{" "}
            <button
              type="button"
              aria-label={`Remove condition ${i + 1}`}
              className="px-1 text-[13px] hover:text-harbour"
              onClick={() =>
                write({ conditions: conditions.filter((_, k) => k !== i) }, `Condition ${i + 1} removed`).catch(
                  () => undefined,
                )
              }
            >
              ✕
            </button>
          </p>
        ))}
        <p>
          <ChosenWord
            label="Add a condition"
            value={"" as (typeof kinds)[number]["value"] | ""}
            options={kinds}
            onSet={(k) => k && add(k)}
            empty="Add a condition"
          />
        </p>
        <p>
          Keep {time("Time kept from before", "pre_s", t?.pre_s ?? 0)} from before it
          {conditions.length > 0 && (
            <>
              , then hold off {time("Hold-off", "hold_off_s", t?.hold_off_s ?? 0)} and arm again,{" "}
              {t?.takes ? "up to " : ""}
              <NumberWord
                label="Takes"
                what="the number of takes"
                value={t?.takes}
                none="until stopped"
                unit="takes"
                low={1}
                high={1_000_000}
                whole
                onSet={(n) => write({ takes: n ?? null })}
              />
            </>
          )}
          .
        </p>
        <Wrong error={error} />
        {conditions.length > 0 && <TryOut {...props} conditions={conditions} />}
      </div>
    </Panel>
  );
}

/** Where the trigger would have fired on a run that is there. */
function TryOut({ body, campaign, conditions }: PlanProps & { conditions: Condition[] }) {
  const runs = (useRuns(campaign).data ?? []).filter((r) => r.samples > 0);
  const [chosen, setChosen] = useState<number>();
  const run = runs.find((r) => r.id === chosen) ?? runs.at(-1);
  const detail = useRun(run?.id).data;
  const plan = body.plan;
  const tried = useMutation<Schema["TryAnswer"], Error>({
    mutationFn: () =>
      told(
        api.POST("/api/plan/try", {
          body: {
            run_id: run?.id ?? 0,
            start: plan.start ?? byHand,
            tachos: plan.tachos ?? [],
            duration_s: plan.length.ends === "after" ? plan.length.duration_s : null,
          },
        }),
      ),
  });
  const input = conditions[0] && watchedInput(conditions[0]);
  const channel = detail?.channels.find((c) => c.recorded.input === input);
  const end = run?.duration_s ?? 0;
  const picture = useQuery({
    queryKey: ["try", run?.id, channel?.channel],
    enabled: !!run && !!channel && tried.isSuccess,
    queryFn: ({ signal }) => overview(run?.id ?? 0, [channel?.channel ?? 1], 0, end, 600, signal),
  });
  const x = useMemo(() => Float64Array.from({ length: 600 }, (_, i) => ((i + 0.5) / 600) * end), [end]);
  const envelope = picture.data?.[0];
  const curves = useMemo(
    () => (envelope ? [{ name: "watched", high: envelope.high, low: envelope.low }] : []),
    [envelope],
  );
  const marks = useMemo(
    () => tried.data?.takes.slice(0, 40).map((t) => ({ x: t.trigger_s, says: String(t.number) })) ?? [],
    [tried.data],
  );
  if (!run) return <p className="text-[13px] text-soft">Once a run is recorded, the trigger can be tried on it.</p>;
  const a = tried.data;
  return (
    <div className="flex min-h-36 flex-1 flex-col text-[13px] leading-6">
      <p>
        Try it on{" "}
        <ChosenWord
          label="Run to try it on"
          value={run.id}
          options={[...runs]
            .reverse()
            .map((r) => ({ value: r.id, says: `run ${r.number}, ${r.kind}`, face: `run ${r.number}` }))}
          onSet={(id) => {
            setChosen(id);
            tried.reset();
          }}
        />{" "}
        <Button look="link" disabled={tried.isPending} onClick={() => tried.mutate()}>
          {tried.isPending ? "Trying …" : "Try"}
        </Button>
        {a && (
          <span>
            {" "}
            fires <b className="num">{whole(a.fired)}</b> times in {plain(Number(a.run_s.toPrecision(4)))} s
            {a.count !== a.fired && `, makes ${whole(a.count)} takes`}
            {a.held_off > 0 && `, ${whole(a.held_off)} of them held off`}
            {a.overlapping > 0 && (
              <b className="text-lamp">
                , ▲ {whole(a.overlapping)} of them {a.overlapping === 1 ? "overlaps" : "overlap"} the one before
              </b>
            )}
          </span>
        )}
      </p>
      <Wrong error={tried.error} />
      {a && envelope && (
        <div className="flex min-h-28 flex-1">
          <Plot
            label="Where it would have fired"
            x={x}
            curves={curves}
            xLabel="time, s"
            yLabel={axisName(channel?.recorded.name, channel?.recorded.unit)}
            marks={marks}
          />
        </div>
      )}
    </div>
  );
}
