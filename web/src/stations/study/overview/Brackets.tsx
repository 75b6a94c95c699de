/** Brackets kept under letters, typed limits, and the replay that moves the bracket through the run. */

import { useEffect, useRef, useState } from "react";
import { Button } from "../../../ui/Button";
import { RangeWord } from "../../../ui/EntryWord";
import { plain } from "../../../ui/format";
import type { Range } from "../../../ui/plot/Plot";
import { offerUndo } from "../../../ui/undo";
import { ChosenWord } from "../../../ui/Word";
import type { KeptBracket } from "../look";

/** Steps of the replay, ms. */
const STEP = 100;
const SPEEDS = [0.1, 0.25, 0.5, 1, 2, 5, 10];

type Props = {
  total: number;
  bracket: Range;
  kept: KeptBracket[];
  onBracket: (to: Range) => void;
  onKept: (kept: KeptBracket[]) => void;
};

const same = (a: Range, b: Range) => Math.abs(a[0] - b[0]) < 1e-6 && Math.abs(a[1] - b[1]) < 1e-6;

export function Brackets({ total, bracket, kept, onBracket, onKept }: Props) {
  const [speed, setSpeed] = useState(1);
  const [playing, setPlaying] = useState(false);
  const now = useRef({ bracket, speed, onBracket });
  now.current = { bracket, speed, onBracket };
  useEffect(() => {
    if (!playing) return;
    let last = performance.now();
    const each = setInterval(() => {
      const t = performance.now();
      const by = ((t - last) / 1000) * now.current.speed;
      last = t;
      const [a, b] = now.current.bracket;
      const step = Math.min(by, total - b);
      if (step <= 1e-6) setPlaying(false);
      else now.current.onBracket([a + step, b + step]);
    }, STEP);
    return () => clearInterval(each);
  }, [playing, total]);
  const play = () => {
    const [a, b] = bracket;
    // The whole run, or its end, cannot move: a tenth of it from the start does.
    if (b >= total - 1e-6) onBracket(a <= 1e-6 ? [0, Math.min(total / 10, 2)] : [0, b - a]);
    setPlaying(true);
  };
  const letter = "ABCDEFGHIJKL".split("").find((l) => !kept.some((k) => k.name === l));
  return (
    <span className="flex items-center gap-2 text-[13px]">
      <Button look="link" onClick={() => (playing ? setPlaying(false) : play())}>
        {playing ? "❙❙ Pause" : "▷ Replay"}
      </Button>
      <ChosenWord
        label="Speed of the replay"
        value={speed}
        options={SPEEDS.map((s) => ({ value: s, says: `${s} ×` }))}
        onSet={setSpeed}
      />
      <span className="text-soft">·</span>
      {kept.map((k) => (
        <span
          key={k.name}
          className={`border px-1 ${same(k.range, bracket) ? "border-mark text-mark" : "border-rule"}`}
        >
          <button
            type="button"
            aria-label={`Bracket ${k.name}`}
            title={`${plain(k.range[0])} to ${plain(k.range[1])} s`}
            className="hover:underline"
            onClick={() => onBracket(k.range)}
          >
            {k.name}
          </button>
          <button
            type="button"
            aria-label={`Delete bracket ${k.name}`}
            className="pl-1 text-soft hover:text-harbour"
            onClick={() => {
              const drop = () => onKept(kept.filter((x) => x !== k));
              drop();
              offerUndo(`Bracket ${k.name} deleted`, () => onKept(kept), drop);
            }}
          >
            ×
          </button>
        </span>
      ))}
      {letter && !kept.some((k) => same(k.range, bracket)) && (
        <Button look="link" onClick={() => onKept([...kept, { name: letter, range: bracket }])}>
          Save bracket
        </Button>
      )}
      <span className="num text-mark">
        [
        <RangeWord
          label="Bracket"
          value={[Number(bracket[0].toFixed(4)), Number(bracket[1].toFixed(4))]}
          unit="s"
          low={0}
          // As its end is shown, which may be rounded up.
          high={Math.max(total, Number(total.toFixed(4)))}
          right
          onSet={([a, b]) => onBracket([a, Math.min(b, total)])}
        />
        ]
      </span>
    </span>
  );
}
