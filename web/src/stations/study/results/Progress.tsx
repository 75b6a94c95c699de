/** How far a list of results is, run by run; it can be stopped. */
import type { Part } from "../../../jobs/job";
import { Button } from "../../../ui/Button";

type Props = {
  parts: Part[];
  going: boolean;
  run: (id: number) => number | undefined;
  onStop: () => void;
  onClose: () => void;
};

const signs = { waiting: "○", going: "◔", done: "●", refused: "▲", stopped: "▣" } as const;

export function Progress({ parts, going, run, onStop, onClose }: Props) {
  const done = parts.filter((p) => p.state === "done").length;
  return (
    <section
      aria-label="Being made"
      aria-live="polite"
      className="mx-3 mb-2 border-l-4 border-harbour bg-paper px-3 py-1 text-[13px]"
    >
      <p className="flex gap-3">
        <b className="num">
          {done} of {parts.length}
        </b>
        {going
          ? "computed"
          : done === parts.length
            ? "computed and saved"
            : `computed and saved, ${parts.filter((p) => p.state === "refused").length} failed`}
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
        {parts.map((p) => (
          <li key={`${p.run_id} ${p.name}`} className="flex gap-2">
            <span className={p.state === "refused" ? "text-lamp" : p.state === "done" ? "text-lee" : "text-soft"}>
              {signs[p.state]}
            </span>
            run {run(p.run_id ?? 0)}, {p.name}
            <span className="text-soft">
              {p.state === "going" && `${Math.round(100 * p.share)} %, ${p.worker}`}
              {p.state === "refused" && p.says}
              {p.state === "stopped" && "stopped"}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
