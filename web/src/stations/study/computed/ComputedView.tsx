/** Channels computed from others by a formula: what each is, in which unit, or why it cannot be. */

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api, type RunDetail, told } from "../../../api/client";
import { useMath } from "../../../api/queries";
import { Button } from "../../../ui/Button";
import { axisName } from "../../../ui/format";
import { Empty, Panel, Wrong } from "../../../ui/Panel";
import { Plot } from "../../../ui/plot/Plot";
import { Split } from "../../../ui/Split";
import { removeListed } from "../../../ui/undo";
import { ChosenWord, TypedWord } from "../../../ui/Word";
import { askResult } from "../lens/useResult";
import { corrected, recipeOf } from "../rows";

type Formula = { name: string; is: string };

/** A name as formulas write it. */
const spelled = (name: string) =>
  name
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, "_")
    .replace(/^_|_$/g, "");

export function ComputedView({ run, campaign }: { run: RunDetail; campaign: number | undefined }) {
  const client = useQueryClient();
  const [error, setError] = useState<Error>();
  const [fresh, setFresh] = useState<Formula>({ name: "", is: "" });
  const math = useMath(campaign);
  const all: Formula[] = math.data?.data.map((m) => ({ name: m.name, is: m.is })) ?? [];
  // What this run makes of each.
  const here = (m: Formula) => run.math.find((r) => r.name === m.name && r.is === m.is);
  const write = async (channels: Formula[], made_on = math.data?.version ?? 0) => {
    try {
      const params = { path: { id: campaign ?? 0 }, query: { made_on } };
      const version = await told(api.PUT("/api/campaigns/{id}/math", { params, body: { channels, run: run.id } }));
      setError(undefined);
      return version;
    } finally {
      // What somebody else made of them is shown beside the refusal.
      client.invalidateQueries({ queryKey: ["run"] });
      await client.invalidateQueries({ queryKey: ["math"] });
    }
  };
  const change = (i: number, part: Partial<Formula>) => write(all.map((m, k) => (k === i ? { ...m, ...part } : m)));
  const add = () =>
    write([...all, { name: fresh.name.trim(), is: fresh.is.trim() }])
      .then(() => setFresh({ name: "", is: "" }))
      .catch(setError);
  const formulas = (
    <Panel
      title="Computed channels"
      says="they hold for all runs of the campaign that have the channels they name, and live on Run"
      className="flex-1"
    >
      <Wrong error={error} />
      <div className="min-h-0 flex-1 overflow-auto px-3 pb-3 text-[15px]">
        <ul>
          {all.map((m, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a formula is its place: later ones may name it
            <li key={i} className="border-b border-rule py-1 leading-8">
              <span className="flex items-baseline gap-2">
                <TypedWord
                  label={`Name of computed channel ${i + 1}`}
                  value={m.name}
                  plain
                  onSet={async (name) => change(i, { name: name.trim() })}
                />
                <span>is</span>
                <TypedWord
                  label={`Formula of ${m.name}`}
                  value={m.is}
                  width={`${Math.max(m.is.length + 2, 12)}ch`}
                  onSet={async (is) => change(i, { is: is.trim() })}
                />
                <span className="text-soft">{here(m) && !here(m)?.refused ? `in ${here(m)?.unit || "1"}` : ""}</span>
                <button
                  type="button"
                  aria-label={`Remove ${m.name}`}
                  className="ml-auto px-1 hover:text-harbour"
                  onClick={() => removeListed(`${m.name} removed`, all, i, write).catch(setError)}
                >
                  ✕
                </button>
              </span>
              {here(m)?.refused && (
                <span className="block text-[13px] leading-5 text-lamp">▲ not of this run: {here(m)?.refused}</span>
              )}
            </li>
          ))}
        </ul>
        <form
          className="mt-3 flex items-baseline gap-2 leading-8"
          onSubmit={(e) => {
            e.preventDefault();
            add();
          }}
        >
          <input
            aria-label="Name of a new channel"
            className="word w-44 font-sans! font-normal!"
            placeholder="a name"
            value={fresh.name}
            onChange={(e) => setFresh({ ...fresh, name: e.target.value })}
          />
          is
          <input
            aria-label="Formula of a new channel"
            className="word min-w-0 flex-1"
            placeholder="c1 - c2"
            value={fresh.is}
            onChange={(e) => setFresh({ ...fresh, is: e.target.value })}
          />
          <Button type="submit">Add</Button>
        </form>
        <p className="mt-4 text-[13px] leading-5 text-soft">
          A formula has channels, numbers with their unit, <b>+ − * / ^</b> and brackets, and <b>abs(x)</b>,{" "}
          <b>sqrt(x)</b>, <b>min(x, y)</b>, <b>max(x, y)</b>, <b>hypot(x, y, z)</b>, <b>derivative(x)</b>, and over the
          time before each sample <b>rms(x, 0.1 s)</b>, <b>mean(x, 0.1 s)</b>, <b>peak(x, 0.1 s)</b>. What is added must
          have units that go into each other.
        </p>
      </div>
    </Panel>
  );
  return (
    <Split
      id="computed"
      label="Width of the channels"
      size={27}
      least={18}
      first={
        <Split
          id="computed-left"
          label="Height of the picture"
          upright
          size={45}
          least={20}
          first={formulas}
          second={<Preview run={run} />}
        />
      }
      second={
        <Panel title="Channels of this run" says="as formulas name them" className="flex-1">
          <ul className="min-h-0 flex-1 overflow-auto px-3 pb-2 text-[13px]">
            {run.channels.map((c) => (
              <li key={c.channel} className="flex gap-2 border-t border-rule">
                <span className="num w-9 text-mark">c{c.channel}</span>
                <span className="num flex-1 truncate">{spelled(c.recorded.name)}</span>
                <span className="text-soft">{c.recorded.unit}</span>
              </li>
            ))}
          </ul>
        </Panel>
      }
    />
  );
}

const POINTS = 900;

/** The waveform of what was computed, over the whole run. */
function Preview({ run }: { run: RunDetail }) {
  const there = run.math.filter((m) => m.channel != null);
  const [chosen, setChosen] = useState<string>();
  const m = there.find((x) => x.name === chosen) ?? there.at(-1);
  const wave = { lens: "waveform", reduce: "minmax", points: POINTS };
  const recipe = m?.channel ? recipeOf(run, wave, [m.channel], [0, run.duration_s]) : undefined;
  const result = useQuery({
    queryKey: ["computed-picture", run.id, m, corrected(run)],
    enabled: m !== undefined,
    retry: false,
    queryFn: ({ signal }) => askResult(run.id, { recipe: recipe ?? {}, query: {} }, signal),
  });
  const curves = useMemo(() => {
    const of = (q: string) => result.data?.traces.find((t) => t.quantity === q)?.values ?? [];
    return result.data ? [{ name: m?.name ?? "", high: of("max"), low: of("min") }] : [];
  }, [result.data, m?.name]);
  return (
    <Panel
      title="Picture"
      says={
        m ? (
          <>
            of{" "}
            <ChosenWord
              label="Computed channel shown"
              value={m.name}
              options={there.map((x) => ({ value: x.name, says: x.name }))}
              onSet={setChosen}
            />
            , run {run.number}
          </>
        ) : undefined
      }
      className="min-h-0 flex-1"
    >
      <Wrong error={result.error} />
      {result.data ? (
        <Plot
          label={`Waveform of ${m?.name}`}
          x={result.data.axes[0]?.values ?? []}
          curves={curves}
          xLabel="time, s"
          yLabel={axisName(m?.name, m?.unit)}
        />
      ) : (
        <Empty says={m ? "Computing …" : "The waveform of a computed channel appears here."} />
      )}
    </Panel>
  );
}
