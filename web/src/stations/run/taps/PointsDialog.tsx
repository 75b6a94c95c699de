/** The list of points, as text: typed, pasted from a spreadsheet, or counted on from the last one. */
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useState } from "react";
import { api, told } from "../../../api/client";
import type { TapPlan } from "../../../api/taps";
import { Button } from "../../../ui/Button";
import { NumberWord } from "../../../ui/EntryWord";
import { Wrong } from "../../../ui/Panel";
import { listed, read } from "./usual";

type Props = {
  points: TapPlan["points"];
  onSet: (points: TapPlan["points"]) => Promise<unknown>;
  onClose: () => void;
};

export function PointsDialog({ points, onSet, onClose }: Props) {
  const [text, setText] = useState(() => listed(points));
  const [count, setCount] = useState(5);
  const [step, setStep] = useState(1);
  const [error, setError] = useState<Error>();
  const all = read(text);
  const attempt = (act: Promise<unknown>) => {
    setError(undefined);
    act.catch(setError);
  };
  const on = async () => {
    const last = all.at(-1);
    if (!last) throw new Error("Type the first point, such as “1 z”.");
    // The first of the list is the one that is there already.
    const first = { point: last.point, direction: last.direction };
    const more = await told(api.POST("/api/taps/points", { body: { first, count: count + 1, step } }));
    setText(listed([...all, ...more.slice(1)]));
  };
  return (
    <Dialog open onClose={onClose} className="relative z-20">
      <div className="fixed inset-0 grid place-items-center bg-ink/30">
        <DialogPanel className="panel w-[460px] p-4">
          <DialogTitle className="pb-1 font-semibold">Points of the series</DialogTitle>
          <p className="pb-2 text-[13px] text-soft">
            One a line, in the order they are gone through, the direction behind the name: “12 z”, “7 -y”. Of a sensor
            with three axes the name alone.
          </p>
          <textarea
            aria-label="Points, one a line"
            className="num h-64 w-full border border-rule bg-sheet p-2 text-[13px] leading-5"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
          <p className="leading-7">
            Count on by <NumberWord label="Step" value={step} whole onSet={setStep} /> for{" "}
            <NumberWord label="More points" value={count} low={1} high={1999} whole onSet={setCount} /> more{" "}
            <Button look="link" onClick={() => attempt(on())}>
              Count on
            </Button>
          </p>
          <Wrong error={error} />
          <div className="flex items-center gap-2 pt-2">
            <span className="text-[13px] text-soft">{all.length} points</span>
            <span className="ml-auto" />
            <Button onClick={onClose}>Cancel</Button>
            <Button look="main" onClick={() => attempt(onSet(all))}>
              Take the list
            </Button>
          </div>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
