/** Which runs are laid over the one that is studied, and by what. */
import { Button } from "../../ui/Button";
import { digits } from "../../ui/format";
import { ChosenWord } from "../../ui/Word";
import type { useLaid } from "./laid";

export function LaidBar({ over }: { over: ReturnType<typeof useLaid> }) {
  if (over.over.length === 0) return null;
  return (
    <p role="toolbar" aria-label="Runs laid over" className="flex flex-wrap items-center gap-x-3 px-3 pt-1 text-[13px]">
      Aligned by{" "}
      <ChosenWord
        label="Aligned by"
        value={over.by}
        options={[
          { value: "time", says: "time from the start" },
          { value: "trigger", says: "their triggers" },
          { value: "speed", says: "the speed at the bracket’s start" },
        ]}
        onSet={over.setBy}
      />
      :
      {over.over.map((o) => (
        <span key={o.id} className={o.error ? "text-lamp" : ""}>
          {o.error ? "▲ " : ""}run {o.run?.number ?? o.id}
          {o.run?.kind ? `, ${o.run.kind}` : ""}
          {o.shift_s !== undefined && over.by !== "time" && (
            <span className="num text-soft">
              {" "}
              {o.shift_s >= 0 ? "+" : ""}
              {digits(o.shift_s, 4)} s
            </span>
          )}
          {o.error && <span> is not laid over: {o.error.message}</span>}
          <button
            type="button"
            aria-label={`Take run ${o.run?.number ?? o.id} off`}
            className="pl-1 text-soft hover:text-harbour"
            onClick={() => over.take(o.id)}
          >
            ×
          </button>
        </span>
      ))}
      <Button look="link" onClick={over.clear}>
        Take all off
      </Button>
    </p>
  );
}
