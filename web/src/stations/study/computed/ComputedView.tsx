/** Channels computed from others by a formula: what each is, in which unit, or why it cannot be. */

import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type RunDetail, told } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { Panel, Wrong } from "../../../ui/Panel";
import { offerUndo } from "../../../ui/undo";
import { TypedWord } from "../../../ui/Word";

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
  const all: Formula[] = run.math.map((m) => ({ name: m.name, is: m.is }));
  const write = async (channels: Formula[]) => {
    await told(
      api.PUT("/api/campaigns/{id}/math", {
        params: { path: { id: campaign ?? 0 } },
        body: { channels, run: run.id },
      }),
    );
    setError(undefined);
    client.invalidateQueries({ queryKey: ["math"] });
    await client.invalidateQueries({ queryKey: ["run"] });
  };
  const change = (i: number, part: Partial<Formula>) => write(all.map((m, k) => (k === i ? { ...m, ...part } : m)));
  const add = () =>
    write([...all, { name: fresh.name.trim(), is: fresh.is.trim() }])
      .then(() => setFresh({ name: "", is: "" }))
      .catch(setError);
  return (
    <div className="grid min-h-0 flex-1 grid-cols-[1fr_320px] gap-3">
      <Panel
        title="Computed channels"
        says="they hold for all runs of the campaign that have the channels they name, and live on Run"
      >
        <Wrong error={error} />
        <div className="min-h-0 flex-1 overflow-auto px-3 pb-3 text-[15px]">
          <ul>
            {run.math.map((m, i) => (
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
                  <span className="text-soft">{m.refused ? "" : `in ${m.unit || "1"}`}</span>
                  <button
                    type="button"
                    aria-label={`Remove ${m.name}`}
                    className="ml-auto px-1 hover:text-harbour"
                    onClick={() =>
                      write(all.filter((_, k) => k !== i))
                        .then(() => offerUndo(`${m.name} removed`, () => write(all)))
                        .catch(setError)
                    }
                  >
                    ✕
                  </button>
                </span>
                {m.refused && (
                  <span className="block text-[13px] leading-5 text-lamp">▲ not of this run: {m.refused}</span>
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
            <b>sqrt(x)</b>, <b>min(x, y)</b>, <b>max(x, y)</b>, <b>hypot(x, y, z)</b>, <b>derivative(x)</b>, and over
            the time before each sample <b>rms(x, 0.1 s)</b>, <b>mean(x, 0.1 s)</b>, <b>peak(x, 0.1 s)</b>. What is
            added must have units that go into each other.
          </p>
        </div>
      </Panel>
      <Panel title="Channels of this run" says="as formulas name them">
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
    </div>
  );
}
