/** Notes that stay with a run's curves and go into the report. */

import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type RunDetail, told } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { NumberWord } from "../../../ui/EntryWord";
import { digits } from "../../../ui/format";
import { Wrong } from "../../../ui/Panel";
import { offerUndo } from "../../../ui/undo";
import { rowOf } from "../rows";

type Props = {
  run: RunDetail;
  /** What a new note is about: the lens, its axis, the curve that is read. */
  lens: string;
  axis: string;
  unit: string;
  channel: number | undefined;
  /** The place that was read last. */
  place: number | undefined;
};

export function Notes({ run, lens, axis, unit, channel, place }: Props) {
  const client = useQueryClient();
  const [at, setAt] = useState<number>();
  const [says, setSays] = useState("");
  const [error, setError] = useState<Error>();
  const where = at ?? place;
  const done = () => client.invalidateQueries({ queryKey: ["run", run.id] });
  const set = async () => {
    setError(undefined);
    try {
      if (where === undefined) throw new Error("a note needs a place: read a peak first, or type the place");
      const body = { lens, axis, unit, place: where, channel: channel ?? null, says };
      await told(api.POST("/api/runs/{id}/notes", { params: { path: { id: run.id } }, body }));
      setSays("");
      setAt(undefined);
      await done();
    } catch (e) {
      setError(e as Error);
    }
  };
  return (
    <section className="mt-2 border-t border-rule pt-1" aria-label="Notes">
      <h3 className="font-semibold text-mark">Notes</h3>
      <form
        className="leading-7"
        onSubmit={(e) => {
          e.preventDefault();
          set();
        }}
      >
        At{" "}
        <NumberWord
          label="Place of the note"
          value={where}
          none={`a place, ${unit}`}
          unit={unit}
          show={(x) => `${digits(x, 5)} ${unit}`}
          onSet={setAt}
        />{" "}
        write{" "}
        <input
          aria-label="Words of the note"
          className="word w-full font-sans! font-normal!"
          placeholder="what is seen there"
          value={says}
          onChange={(e) => setSays(e.target.value)}
        />
        {says && (
          <Button look="link" type="submit">
            Set the note
          </Button>
        )}
      </form>
      <Wrong error={error} />
      <ul>
        {run.notes.map((n) => (
          <li key={n.id} className="flex gap-1 border-t border-rule" title={`${n.lens}, ${n.who}`}>
            <span className="num text-mark">
              {digits(n.place, 5)} {n.unit}
            </span>
            <span className="flex-1">
              {n.says}
              {n.channel != null && <span className="text-soft">, {rowOf(run, n.channel)?.name}</span>}
            </span>
            <button
              type="button"
              aria-label={`Delete note ${n.says}`}
              className="text-soft"
              onClick={() =>
                told(api.DELETE("/api/runs/{id}/notes/{note}", { params: { path: { id: run.id, note: n.id } } }))
                  .then(() => {
                    const { lens, axis, unit, place, channel, says } = n;
                    offerUndo(`Note “${says}” deleted`, async () => {
                      const body = { lens, axis, unit, place, channel: channel ?? null, says };
                      await told(api.POST("/api/runs/{id}/notes", { params: { path: { id: run.id } }, body }));
                      await done();
                    });
                    return done();
                  })
                  .catch(setError)
              }
            >
              ×
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}
