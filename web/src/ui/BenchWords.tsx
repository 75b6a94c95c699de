/** A bench by its name: which one, what is added to it, kept under a name, deleted; of whatever it is made. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useMemo, useState } from "react";
import { Button } from "./Button";
import { same } from "./same";
import { offerUndo } from "./undo";
import { ChosenWord, TypedWord } from "./Word";

/** Where benches of a campaign are kept. */
export type BenchStore<B> = {
  /** What tells this list from others. */
  key: unknown[];
  list: () => Promise<{ name: string; bench: B }[]>;
  keep: (name: string, bench: B) => Promise<unknown>;
  drop: (name: string) => Promise<unknown>;
};

type Props<B> = {
  store: BenchStore<B> | undefined;
  name: string;
  bench: B;
  /** Benches that are always there: how they are made, and how else they may look untouched. The first is what a
   * deleted one gives way to. */
  ready: { name: string; make: () => B; also?: () => B }[];
  onBench: (name: string, bench: B) => void;
  /** What is added to a bench. */
  add: ReactNode;
  /** What stands at the end. */
  children?: ReactNode;
};

export function BenchWords<B>({ store, name, bench, ready, onBench, add, children }: Props<B>) {
  const client = useQueryClient();
  const [error, setError] = useState<Error>();
  const queryKey = ["kept-benches", ...(store?.key ?? [])];
  const list = useQuery({ queryKey, enabled: store !== undefined, queryFn: () => store?.list() ?? [] }).data ?? [];
  const done = () => client.invalidateQueries({ queryKey });
  const always = ready.find((b) => b.name === name);
  const current = list.find((b) => b.name === name);
  // Not at every step of what else is dragged.
  const changed = useMemo(() => {
    if (current) return !same(current.bench, bench);
    return always !== undefined && !same(always.make(), bench) && !(always.also && same(always.also(), bench));
  }, [current, bench, always]);
  const keep = async (as: string, what: B) => {
    setError(undefined);
    await store?.keep(as, what);
    onBench(as, what);
    done();
  };
  const remove = () => {
    if (!current || !store) return;
    const drop = async () => {
      setError(undefined);
      await store.drop(current.name);
      const first = ready[0];
      if (first) onBench(first.name, first.make());
      done();
    };
    const back = () => keep(current.name, current.bench);
    drop().then(() => offerUndo(`Bench ${current.name} deleted`, back, drop), setError);
  };
  const names = [...new Set([...ready.map((b) => b.name), ...list.map((b) => b.name), name])];
  return (
    <div role="toolbar" aria-label="Bench" className="flex min-h-8 items-center gap-4 text-[13px]">
      <span>
        Bench{" "}
        <ChosenWord
          label="Bench"
          value={name}
          options={names.map((n) => ({ value: n, says: n }))}
          onSet={(chosen) => {
            const own = list.find((b) => b.name === chosen);
            const made = ready.find((b) => b.name === chosen);
            if (own) onBench(chosen, own.bench);
            else if (made) onBench(chosen, made.make());
          }}
        />
        {changed && " (changed)"}
      </span>
      {add}
      <span>
        Save as{" "}
        <TypedWord
          label="Name of the bench"
          value={always ? "" : name}
          width="16ch"
          plain
          onSet={async (text) => {
            const as = text.trim();
            if (ready.some((b) => b.name === as)) throw new Error(`“${as}” is always there; choose another name.`);
            return keep(as, bench);
          }}
        />
      </span>
      {current && changed && (
        <Button look="link" onClick={() => keep(name, bench).catch(setError)}>
          Save changes
        </Button>
      )}
      {current && (
        <Button look="link" onClick={remove}>
          Delete bench
        </Button>
      )}
      {children}
      {error && <span className="text-reef">{error.message}</span>}
    </div>
  );
}
