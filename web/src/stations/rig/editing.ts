/** Changes of the channel table: written, tried, taken back, made again. */
import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useRef, useState } from "react";
import { api, type Cell, type EditAnswer, type EditRequest, Refused, type RigBody, told } from "../../api/client";

type Step = { there: Cell[]; back: Cell[]; what: string };

/** A change that waits for a look: some of it was refused, or somebody else was faster. */
export type Review = { answer: EditAnswer; what: string; madeOn: number };

export function useEditing(campaign: number | undefined, rig: RigBody | undefined) {
  const client = useQueryClient();
  const undo = useRef<Step[]>([]);
  const redo = useRef<Step[]>([]);
  const [review, setReview] = useState<Review>();
  const [, counted] = useState(0);
  const version = useRef(0);
  version.current = rig?.version ?? 0;

  const ask = useCallback(
    (body: EditRequest) =>
      told(api.POST("/api/campaigns/{id}/rig/cells", { params: { path: { id: campaign ?? 0 } }, body })),
    [campaign],
  );

  const take = useCallback(
    (body: RigBody | null | undefined) => {
      if (!body) return;
      version.current = body.version;
      client.setQueryData(["rig", campaign], body);
      client.invalidateQueries({ queryKey: ["plan", campaign] });
      client.invalidateQueries({ queryKey: ["versions", campaign] });
    },
    [client, campaign],
  );

  const remember = useCallback((answer: EditAnswer, what: string) => {
    if (answer.changed.length === 0) return;
    undo.current.push({
      there: answer.changed.map((c) => ({ input: c.input, column: c.column, text: c.to })),
      back: answer.changed.map((c) => ({ input: c.input, column: c.column, text: c.from })),
      what,
    });
    redo.current = [];
    counted((n) => n + 1);
  }, []);

  /** Writes at once; what is refused or clashes is laid before the engineer. */
  const write = useCallback(
    async (change: Partial<EditRequest>, what: string) => {
      const madeOn = version.current;
      const answer = await ask({ made_on: madeOn, cells: [], what, ...change });
      if (answer.clashes.length > 0) {
        setReview({ answer, what, madeOn });
        return answer;
      }
      take(answer.rig);
      remember(answer, what);
      return answer;
    },
    [ask, take, remember],
  );

  /** One cell: a refusal is an error there and then. */
  const writeCell = useCallback(
    async (cell: Cell, what: string) => {
      const answer = await write({ cells: [cell] }, what);
      const refused = answer.refused[0];
      if (refused) throw new Refused(refused.says, refused.field);
    },
    [write],
  );

  /** Shows what would become of a change before it is written. */
  const look = useCallback(
    async (change: Partial<EditRequest>, what: string) => {
      const madeOn = version.current;
      const answer = await ask({ made_on: madeOn, cells: [], what, try_only: true, ...change });
      setReview({ answer, what, madeOn });
    },
    [ask],
  );

  const step = useCallback(
    async (from: React.RefObject<Step[]>, to: React.RefObject<Step[]>, which: "back" | "there") => {
      const last = from.current.pop();
      if (!last) return;
      const what = which === "back" ? `taken back: ${last.what}` : last.what;
      const madeOn = version.current;
      const answer = await ask({ made_on: madeOn, cells: last[which], what });
      if (answer.clashes.length > 0) setReview({ answer, what, madeOn });
      take(answer.rig);
      to.current.push(last);
      counted((n) => n + 1);
    },
    [ask, take],
  );
  const takeBack = useCallback(() => step(undo, redo, "back"), [step]);
  const again = useCallback(() => step(redo, undo, "there"), [step]);

  return {
    write,
    writeCell,
    look,
    take,
    takeBack,
    again,
    review,
    setReview,
    ask,
    canUndo: undo.current.length > 0,
    canRedo: redo.current.length > 0,
  };
}

export type Editing = ReturnType<typeof useEditing>;
