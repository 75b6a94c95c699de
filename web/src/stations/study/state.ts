/** What the Study station looks at: the address says it, so that it can be sent, reloaded and gone back from. */
import { useCallback, useEffect, useRef, useState } from "react";
import { useLocation, useNavigate } from "react-router";
import * as v from "valibot";
import type { RunDetail } from "../../api/client";
import { stored } from "../../ui/stored";
import { type Cursors, cursors, intoAddress, type Look, lookOf, noCursors, ofAddress, range } from "./look";

const kept = v.object({
  channels: v.array(v.number()),
  bracket: v.nullable(range),
  kept: v.array(v.object({ name: v.string(), range })),
  shown: v.record(v.string(), v.nullable(range)),
  cursors: v.partial(cursors),
});

/** The look of a run: as the address says, else as it was left here, else with the channels looked at last. */
function read(run: RunDetail, search: string): Look {
  const first = lookOf(run);
  const own = stored(`study ${run.id}`, kept);
  const last = stored("study", v.object({ channels: v.array(v.number()) }));
  const left = own ?? (last && { channels: last.channels });
  const set = { ...noCursors, ...own?.cursors } as Cursors;
  return { ...first, ...left, cursors: set, ...ofAddress(search, first) };
}

/** How long after the last change the address is written: a drag is written once, s. */
const REST_MS = 250;

export function useLook(run: RunDetail): [Look, (part: Partial<Look>) => void] {
  const { search } = useLocation();
  const navigate = useNavigate();
  const [look, setLook] = useState(() => read(run, search));
  // The search part that this page wrote itself; another one came by going back or by a link.
  const written = useRef(search);
  const latest = useRef(look);
  const timer = useRef(0);
  const bracket = useRef(look.bracket);

  const follow = useCallback(
    (to: string) => {
      if (to === written.current) return;
      written.current = to;
      window.clearTimeout(timer.current);
      const look = { ...latest.current, ...ofAddress(to, lookOf(run)) };
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
    const next = intoAddress(window.location.search, latest.current);
    if (next === window.location.search) return;
    written.current = next;
    // Brackets are what one goes back through; all else is only kept up to date.
    const replace = JSON.stringify(bracket.current) === JSON.stringify(latest.current.bracket);
    bracket.current = latest.current.bracket;
    navigate({ search: next }, { replace });
  }, [navigate]);
  // The first look is written down too, so that one can go back to it.
  // biome-ignore lint/correctness/useExhaustiveDependencies: once, when the run is opened
  useEffect(() => {
    write();
    return () => window.clearTimeout(timer.current);
  }, []);

  const set = useCallback(
    (part: Partial<Look>) => {
      const to = { ...latest.current, ...part };
      latest.current = to;
      setLook(to);
      window.clearTimeout(timer.current);
      timer.current = window.setTimeout(() => {
        localStorage.setItem(`study ${run.id}`, JSON.stringify(to));
        localStorage.setItem("study", JSON.stringify({ channels: to.channels }));
        write();
      }, REST_MS);
    },
    [run.id, write],
  );
  return [look, set];
}
