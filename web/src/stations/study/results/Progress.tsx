/** How far a list of results is, run by run; it can be stopped. */
import { Button } from "../../../ui/Button";
import type { OneOf } from "./batch";

type Props = {
  ones: OneOf[];
  going: boolean;
  run: (id: number) => number | undefined;
  onStop: () => void;
  onClose: () => void;
};

const signs = { waiting: "○", going: "◔", done: "●", refused: "▲", stopped: "▣" } as const;

export function Progress({ ones, going, run, onStop, onClose }: Props) {
  const done = ones.filter((o) => o.state === "done").length;
  return (
    <section
      aria-label="Being made"
      aria-live="polite"
      className="mx-3 mb-2 border-l-4 border-harbour bg-paper px-3 py-1 text-[13px]"
    >
      <p className="flex gap-3">
        <b className="num">
          {done} of {ones.length}
        </b>
        {going ? "are made" : done === ones.length ? "are made and kept" : "are made; the others say why not"}
        <span className="ml-auto" />
        {going ? (
          <Button look="link" onClick={onStop}>
            Stop
          </Button>
        ) : (
          <Button look="link" onClick={onClose}>
            Close
          </Button>
        )}
      </p>
      <ul className="max-h-32 overflow-auto">
        {ones.map((o) => (
          <li key={`${o.run_id} ${o.name}`} className="flex gap-2">
            <span className={o.state === "refused" ? "text-lamp" : o.state === "done" ? "text-lee" : "text-soft"}>
              {signs[o.state]}
            </span>
            run {run(o.run_id)}, {o.name}
            <span className="text-soft">
              {o.state === "going" && `${Math.round(100 * o.share)} %`}
              {o.state === "refused" && o.says}
              {o.state === "stopped" && "stopped"}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
