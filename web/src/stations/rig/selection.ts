/** The selected input, kept in the address so that a reload and the finder find it. */
import { useCallback, useEffect, useRef, useState } from "react";
import { useSearchParams } from "react-router";

/** Rows that are selected beside the active one come second. */
export function useSelection(usual: number) {
  const [params, setParams] = useSearchParams();
  const asked = Number(params.get("input") ?? usual);
  const [selected, setSelected] = useState(asked);
  const [chosen, setChosen] = useState<number[]>([asked]);
  const told = useRef(asked);
  const waiting = useRef(0);
  // The address follows when the arrows rest: routing at every key press would cost more than the move.
  const select = useCallback(
    (input: number, all: number[] = [input]) => {
      setChosen(all);
      setSelected(input);
      window.clearTimeout(waiting.current);
      const here = window.location.pathname;
      waiting.current = window.setTimeout(() => {
        // Whoever follows a link meanwhile is not to be brought back: the view goes only when the next one is there.
        if (window.location.pathname !== here) return;
        told.current = input;
        setParams({ input: String(input) }, { replace: true });
      }, 300);
    },
    [setParams],
  );
  useEffect(() => {
    if (asked === told.current) return;
    told.current = asked;
    setSelected(asked);
    setChosen([asked]);
  }, [asked]);
  useEffect(() => () => window.clearTimeout(waiting.current), []);
  return { selected, chosen, select };
}
