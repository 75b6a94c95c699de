/** One lens on the bench: its head, and what it shows. */
import type { KeyboardEvent } from "react";
import { Button } from "../../../ui/Button";
import { Explain } from "../../../ui/Explain";
import { lensMethods } from "../../../ui/methods";
import { Empty } from "../../../ui/Panel";
import { Legend } from "../../../ui/plot/Plot";
import { ChosenWord } from "../../../ui/Word";
import { lookedAt } from "../bench";
import { recipeOf, rowOf } from "../rows";
import { LensResult } from "./LensResult";
import { LookWords } from "./LookWords";
import { lensOf } from "./lenses";
import { Prepare, type Step } from "./Prepare";
import type { PanelProps, Shared } from "./panelProps";
import { Waveform } from "./Waveform";

export function LensPanel(p: PanelProps) {
  const { panel, run } = p;
  const kind = lensOf(panel.recipe.lens);
  const wanted = panel.channels.length ? panel.channels : p.chosen;
  const there = wanted.filter((c) => rowOf(run, c));
  const missing = wanted.filter((c) => !rowOf(run, c));
  const unit = rowOf(run, there[0] ?? 1)?.unit ?? "";
  // Curves of different units cannot share an axis; those of the first one's unit are drawn.
  const channels = there.filter((c) => rowOf(run, c)?.unit === unit);
  const own = p.kept.find((k) => k.name === panel.look.bracket)?.range;
  const bracket = own ?? p.bracket;
  const keys = (e: KeyboardEvent) => {
    if (e.target !== e.currentTarget) return;
    const by: Record<string, [number, number]> = {
      ArrowLeft: [-1, 0],
      ArrowRight: [1, 0],
      ArrowUp: [0, -1],
      ArrowDown: [0, 1],
    };
    const step = by[e.key];
    const { x, y, w, h } = panel;
    if (step && e.shiftKey) p.onSet({ w: w + step[0], h: h + step[1] });
    else if (step) p.onSet({ x: x + step[0], y: y + step[1] });
    else if (e.key === "Delete") p.onClose();
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  const shared: Shared = { ...p, bracket, channels, unit };
  const recipe = recipeOf(run, panel.recipe, channels, bracket);
  const waveform = panel.recipe.lens === "waveform";
  const steps = (panel.recipe.prepare ?? []) as Step[];
  return (
    <section aria-label={kind.says} className="panel flex h-full min-h-0 min-w-0 flex-col">
      <div
        role="toolbar"
        className="pane-head flex min-h-7 cursor-move items-center gap-3 px-3 text-[13px]"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: arrows move the lens, Shift with arrows sizes it
        tabIndex={0}
        aria-label={`${kind.says}: arrows move it, Shift with arrows sizes it, Delete closes it`}
        onKeyDown={keys}
      >
        <h2 className="text-[14px] font-semibold whitespace-nowrap">{kind.says}</h2>
        <Explain what={kind.says} titles={lensMethods(kind.lens)} />
        {waveform && (
          <span className="pane-word flex cursor-default items-baseline gap-2 truncate text-soft">
            {unit}
            <span className="text-ink">
              <LookWords panel={panel} lead="" onSet={p.onSet} />
            </span>
            <Prepare
              steps={steps}
              rate={run.sample_rate_hz}
              onSet={(prepare) => p.onSet((now) => ({ recipe: { ...now.recipe, prepare } }))}
            />
          </span>
        )}
        {p.kept.length > 0 && (
          <span className="pane-word cursor-default whitespace-nowrap text-soft">
            of{" "}
            <ChosenWord
              label="Bracket of the lens"
              value={own ? (panel.look.bracket ?? "") : ""}
              options={[
                { value: "", says: "the bracket" },
                ...p.kept.map((k) => ({ value: k.name, says: `bracket ${k.name}` })),
              ]}
              onSet={(b) => p.onSet(lookedAt({ bracket: b }))}
            />
          </span>
        )}
        <span className="pane-word ml-auto flex cursor-default items-center gap-3">
          {waveform && panel.look.view !== "table" && (
            <Legend
              names={[
                ...channels.map((c) => rowOf(run, c)?.name ?? ""),
                ...p.laid.flatMap((l) => channels.map((_, k) => (k ? `and ${k + 1}` : `run ${l.run.number}`))),
              ]}
            />
          )}
          {p.read && <span className="text-[12px] text-mark">read by the cursors</span>}
          {!waveform && (
            <>
              <Button look="link" aria-label={`Save ${kind.says}`} onClick={() => p.onKeep(recipe)}>
                Save
              </Button>
              <Button look="link" onClick={() => p.onReport(recipe)}>
                Use in report
              </Button>
            </>
          )}
          <button
            type="button"
            aria-label={`Close ${kind.says}`}
            className="pane-word hover:text-harbour"
            onClick={p.onClose}
          >
            ✕
          </button>
        </span>
      </div>
      {missing.length > 0 && (
        <p className="px-3 text-[12px] leading-4 text-lamp">
          ▲ This lens names {missing.length === 1 ? `channel ${missing[0]}` : `channels ${missing.join(", ")}`}, which
          this run does not have.{" "}
          <Button look="link" onClick={() => p.onSet({ channels: there.length ? there : [] })}>
            {there.length ? "Leave them out" : "Take the bench’s channels"}
          </Button>
        </p>
      )}
      {channels.length === 0 ? (
        <Empty says="No channel is chosen for this lens; tick one in the list on the right." />
      ) : waveform ? (
        <Waveform
          {...shared}
          marks={p.notes.filter((n) => n.axis === "time")}
          onLook={(part) => p.onSet(lookedAt(part))}
        />
      ) : (
        <LensResult {...shared} />
      )}
    </section>
  );
}
