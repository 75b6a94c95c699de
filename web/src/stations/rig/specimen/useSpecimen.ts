/** The specimen: read, changed, taken back. Every change is made on the version that is shown, and gives the next. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useRef, useState } from "react";
import { api, type Schema, told } from "../../../api/client";
import type { Specimen } from "./tables";

type Body = Schema["SpecimenBody"];
export type Change = Schema["GeometryChange"];

const at = (id: number) => ({ params: { path: { id } } });

export const useSpecimen = (campaign: number | undefined) =>
  useQuery({
    queryKey: ["specimen", campaign],
    enabled: campaign !== undefined,
    queryFn: () => told(api.GET("/api/campaigns/{id}/specimen", at(campaign ?? 0))),
  });

export const useSpecimenFiles = (campaign: number | undefined) =>
  useQuery({
    queryKey: ["specimen-files", campaign],
    enabled: campaign !== undefined,
    queryFn: () => told(api.GET("/api/campaigns/{id}/specimen/files", at(campaign ?? 0))),
  });

const MOST_STEPS = 50;

export function useSpecimenEditing(campaign: number | undefined, body: Body | undefined) {
  const client = useQueryClient();
  const now = useRef(body);
  now.current = body;
  const undo = useRef<Specimen[]>([]);
  const redo = useRef<Specimen[]>([]);
  const [, counted] = useState(0);
  // One after the other, each on the version that the one before it made.
  const turn = useRef<Promise<unknown>>(Promise.resolve());

  const make = useCallback(
    (ask: (made_on: number) => Promise<Body>, from: Specimen[], to: Specimen[] | undefined) => {
      const step = async () => {
        const before = now.current;
        if (!before) throw new Error("The specimen is not read yet.");
        try {
          const after = await ask(before.version);
          from.push(before.specimen);
          if (from.length > MOST_STEPS) from.shift();
          if (to) to.length = 0;
          now.current = after;
          client.setQueryData(["specimen", campaign], after);
          client.invalidateQueries({ queryKey: ["rig", campaign] });
          counted((n) => n + 1);
        } catch (e) {
          // What somebody else made of it is shown beside the refusal.
          await client.invalidateQueries({ queryKey: ["specimen", campaign] });
          throw e;
        }
      };
      const mine = turn.current.then(step);
      turn.current = mine.catch(() => undefined);
      return mine;
    },
    [client, campaign],
  );
  const put = useCallback(
    (to: Specimen) => (made_on: number) =>
      told(
        api.PUT("/api/campaigns/{id}/specimen", {
          params: { path: { id: campaign ?? 0 }, query: { made_on } },
          body: to,
        }),
      ),
    [campaign],
  );

  /** Changes the geometry. */
  const change = useCallback(
    (what: Change) =>
      make(
        (made_on) =>
          told(
            api.POST("/api/campaigns/{id}/specimen/change", { ...at(campaign ?? 0), body: { made_on, change: what } }),
          ),
        undo.current,
        redo.current,
      ),
    [make, campaign],
  );
  /** Writes parts of the sheet. */
  const write = useCallback(
    (part: Partial<Specimen>) =>
      make((made_on) => put({ ...(now.current?.specimen as Specimen), ...part })(made_on), undo.current, redo.current),
    [make, put],
  );
  /** Puts points onto the surface. */
  const ontoSurface = useCallback(
    (rows: number[]) =>
      make(
        (made_on) =>
          told(
            api.POST("/api/campaigns/{id}/specimen/onto-surface", { ...at(campaign ?? 0), body: { made_on, rows } }),
          ),
        undo.current,
        redo.current,
      ),
    [make, campaign],
  );
  const step = useCallback(
    (from: Specimen[], to: Specimen[]) => {
      const last = from.pop();
      return last ? make(put(last), to, undefined) : Promise.resolve();
    },
    [make, put],
  );
  const takeBack = useCallback(() => step(undo.current, redo.current), [step]);
  const again = useCallback(() => step(redo.current, undo.current), [step]);
  return {
    change,
    write,
    ontoSurface,
    takeBack,
    again,
    canUndo: undo.current.length > 0,
    canRedo: redo.current.length > 0,
  };
}

export type SpecimenEditing = ReturnType<typeof useSpecimenEditing>;
