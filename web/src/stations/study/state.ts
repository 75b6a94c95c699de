/** What the Study station looks at: the address says it, so that it can be sent, reloaded and gone back from. */
import { useCallback, useEffect, useRef, useState } from "react";
import { useLocation, useNavigate } from "react-router";
import * as v from "valibot";
import type { RunDetail } from "../../api/client";
import { stored } from "../../ui/stored";
import { first as firstBench, fitted, leave, left, type Working } from "./bench";
import { benchInto, benchOf } from "./benchAddress";
import { type Cursors, cursors, intoAddress, type Look, lookOf, noCursors, ofAddress, range } from "./look";

/** What is looked at, and with which bench. */
export type Looking = Look & { bench: Working };

const kept = v.object({
  channels: v.array(v.number()),
  bracket: v.nullable(range),
  kept: v.array(v.object({ name: v.string(), range })),
  shown: v.record(v.string(), v.nullable(range)),
  cursors: v.partial(cursors),
});

/** The look of a run: as the address says, else as it was left here, else with the channels looked at last. */
function read(run: RunDetail, campaign: number | undefined, search: string): Looking {
  const first = lookOf(run);
  const bench = benchOf(new URLSearchParams(search), run) ?? left(campaign) ?? firstBench(run);
  const own = stored(`study ${run.id}`, kept);
  const last = own ?? stored("study", v.object({ channels: v.array(v.number()) }));
  const set = { ...noCursors, ...own?.cursors } as Cursors;
  return { ...first, ...last, cursors: set, ...ofAddress(search, first), bench: fitted(bench, run) };
}

/** The search part of an address with all that is looked at. */
function written(search: string, now: Looking, run: RunDetail): string {
  const params = new URLSearchParams(intoAddress(search, now));
  benchInto(params, now.bench, run);
  return `?${params}`;
}

/** How long after the last change the address is written: a drag is written once. */
const REST_MS = 250;

export function useLook(
  run: RunDetail,
  campaign: number | undefined,
): [Looking, (part: Partial<Looking> | ((now: Looking) => Partial<Looking>)) => void] {
  const { search } = useLocation();
  const navigate = useNavigate();
  const [look, setLook] = useState(() => read(run, campaign, search));
  // The search part that this page wrote itself; another one came by going back or by a link.
  const own = useRef(search);
  const latest = useRef(look);
  const timer = useRef(0);
  // What was changed and is not written down yet.
  const unwritten = useRef<Looking>(undefined);
  const writtenAt = useRef(0);
  const bracket = useRef(look.bracket);

  const follow = useCallback(
    (to: string) => {
      if (to === own.current) return;
      own.current = to;
      window.clearTimeout(timer.current);
      unwritten.current = undefined;
      const bench = benchOf(new URLSearchParams(to), run) ?? latest.current.bench;
      const look = { ...latest.current, ...ofAddress(to, lookOf(run)), bench };
      latest.current = look;
      bracket.current = look.bracket;
      setLook(look);
    },
    [run],
  );
  useEffect(() => follow(search), [search, follow]);
  // Going back at once after a step forward shows the router two addresses as one, and no change.
  useEffect(() => {
    const back = () => follow(window.location.search);
    window.addEventListener("popstate", back);
    return () => window.removeEventListener("popstate", back);
  }, [follow]);
  const write = useCallback(() => {
    const next = written(window.location.search, latest.current, run);
    if (next === window.location.search) return;
    own.current = next;
    // Brackets are what one goes back through; all else is only kept up to date.
    const replace = JSON.stringify(bracket.current) === JSON.stringify(latest.current.bracket);
    bracket.current = latest.current.bracket;
    navigate({ search: next }, { replace });
  }, [navigate, run]);
  const remember = useCallback(() => {
    if (!unwritten.current) return;
    const { bench: _, ...look } = unwritten.current;
    unwritten.current = undefined;
    localStorage.setItem(`study ${run.id}`, JSON.stringify(look));
    localStorage.setItem("study", JSON.stringify({ channels: look.channels }));
  }, [run.id]);
  // The first look is written down too, so that one can go back to it. Who goes on at once loses nothing.
  // biome-ignore lint/correctness/useExhaustiveDependencies: once, when the run is opened
  useEffect(() => {
    write();
    return () => {
      window.clearTimeout(timer.current);
      remember();
    };
  }, []);

  const set = useCallback(
    (part: Partial<Looking> | ((now: Looking) => Partial<Looking>)) => {
      const to = { ...latest.current, ...(typeof part === "function" ? part(latest.current) : part) };
      if (to.bench !== latest.current.bench) leave(campaign, to.bench);
      latest.current = to;
      setLook(to);
      unwritten.current = to;
      const now = () => {
        writtenAt.current = performance.now();
        remember();
        write();
      };
      window.clearTimeout(timer.current);
      // One click is written at once, as the page may be loaded again right after it; a drag when it rests,
      // and so is a bracket, of which every writing is a step to go back through.
      const moved = JSON.stringify(bracket.current) !== JSON.stringify(to.bracket);
      if (!moved && performance.now() - writtenAt.current > REST_MS) now();
      else timer.current = window.setTimeout(now, REST_MS);
    },
    [campaign, write, remember],
  );
  return [look, set];
}
