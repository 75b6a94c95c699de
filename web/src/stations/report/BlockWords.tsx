/** What the chosen block shows, as a sentence whose words are changed. */
import type { ReactNode } from "react";
import type { RunBody, RunDetail, Schema } from "../../api/client";
import { useRun } from "../../api/queries";
import { useGo } from "../../shell/address";
import { Button } from "../../ui/Button";
import { ChannelsWord } from "../../ui/ChannelsWord";
import { RangeWord } from "../../ui/EntryWord";
import { moment } from "../../ui/format";
import { ChosenWord, TypedWord } from "../../ui/Word";
import { lenses, lensOf, put, type Recipe } from "../study/lens/lenses";
import { Sentence } from "../study/lens/Sentence";
import { recipeOf, rowsOf } from "../study/rows";
import { type Block, keptIn, kinds, modal, parts, recipeIn, records, runIn, runOptions, type Show } from "./blocks";
import { LimitWords } from "./LimitWords";
import { RepeatedWords } from "./RepeatedWords";
import { RowsWords } from "./RowsWords";
import { SpecimenWords } from "./SpecimenWords";
import { WrittenText } from "./WrittenText";

type Figure = Extract<Show, { what: "figure" }>;
type OfResult = Extract<Show, { what: "figure" | "table" }>;

type Props = {
  block: Block;
  runs: RunBody[];
  kept: Schema["KeptResultBody"][];
  /** The run that blocks without one of their own are about. */
  run: RunBody | undefined;
  /** Its recipe as it was carried out, where it was made of samples. */
  made: object | undefined;
  onSet: (part: Partial<Omit<Block, "id">>) => Promise<unknown>;
};

const heights: Record<Schema["ReportHeight"], string> = {
  low: "low",
  usual: "as usual",
  half: "half a page high",
  page: "a page high",
};

export function BlockWords({ block, runs, kept, run, made, onSet }: Props) {
  const { show } = block;
  const own = runIn(show);
  const shown = useRun(own ?? run?.id).data;
  const set = (part: object) => onSet({ show: { ...show, ...part } as Show });
  const runWord = (
    <ChosenWord
      label="Run of the block"
      value={own ?? 0}
      options={[
        { value: 0, says: `the report's run${run ? `, run ${run.number}` : ""}`, face: "the report's run" },
        ...runOptions(runs),
      ]}
      onSet={(id) => set({ run_id: id || null })}
    />
  );
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-3 overflow-auto px-3 pb-3 leading-7">
      <p>
        {kinds[show.what].says}
        {show.what !== "head" && show.what !== "next_page" && (
          <>
            {" under the title "}
            <TypedWord
              label="Title of the block"
              value={block.title ?? ""}
              width="22ch"
              plain
              onSet={(title) => onSet({ title })}
            />
          </>
        )}
        .
      </p>
      {["facts", "rig", "corrections"].includes(show.what) && <p>It shows {runWord}.</p>}
      {show.what === "records" && (
        <p>
          It lists{" "}
          <ChosenWord
            label="What is listed"
            value={show.of}
            options={Object.entries(records).map(([value, r]) => ({
              value: value as typeof show.of,
              says: r.says,
              face: r.face,
            }))}
            onSet={(of) => {
              // A title that nobody wrote goes with what is listed.
              const own = Object.values(records).some((r) => r.title === block.title);
              onSet({ show: { ...show, of }, ...(own ? { title: records[of].title } : {}) });
            }}
          />
          {show.of === "events" && shown && (
            <>
              {" of the axes "}
              <ChannelsWord
                label="Axes of the events"
                face={
                  (show.channels ?? [])
                    .map((c) => rowsOf(shown).find((r) => r.channel === c)?.name ?? `channel ${c}`)
                    .join(", ") || "that measure the same"
                }
                inputs={show.channels ?? []}
                channels={
                  rowsOf(shown).map((r) => ({ input: r.channel, label: `${r.channel}`, name: r.name })) as never
                }
                width="max-w-64"
                onSet={(channels) => set({ channels: channels.slice(0, 6) })}
              />
            </>
          )}
          {records[show.of].run && <> of {runWord}</>}.
        </p>
      )}
      {show.what === "specimen" && <SpecimenWords show={show} onSet={set} />}
      {(show.what === "figure" || show.what === "table" || show.what === "limits") && (
        <>
          {show.what !== "limits" && <Source show={show} kept={kept} onSet={set} />}
          {keptIn(show) === undefined && (
            <OfSamples show={show} made={made} run={shown} runWord={runWord} onSet={set} />
          )}
          {show.what === "figure" && <Drawn show={show} each={block.each} onSet={set} />}
          {show.what === "table" && <RowsWords show={show} onSet={set} />}
          {show.what === "limits" && <LimitWords show={show} run={shown} onSet={set} />}
          <RepeatedWords block={block} onSet={onSet} />
        </>
      )}
      {show.what === "signature" && (
        <p>
          Lines for{" "}
          <TypedWord
            label="Who signs"
            value={show.names.join(", ")}
            width="30ch"
            plain
            onSet={(text) =>
              set({
                names: text
                  .split(",")
                  .map((n) => n.trim())
                  .filter(Boolean),
              })
            }
          />
          , with commas between.
        </p>
      )}
      {show.what === "text" && (
        <WrittenText
          key={block.id}
          label={block.title || "Text"}
          value={show.text ?? ""}
          says="What was found, in your words."
          onSet={(text) => set({ text })}
        />
      )}
      {(show.what === "figure" || show.what === "table" || show.what === "limits") && (
        <WrittenText
          key={block.id}
          label={show.what === "figure" ? "Under the figure" : "Under the table"}
          value={show.caption ?? ""}
          says="What it is made of, unless you write something."
          onSet={(caption) => set({ caption })}
        />
      )}
      {["text", "figure", "table", "limits"].includes(show.what) && (
        <p className="text-[13px] leading-5 text-soft">
          Words in braces fill themselves in: {"{run}, {day}, {specimen}"}
          {show.what !== "text" && ", {channels}, {stretch}, {averages}, {spacing}"}. *strong*, _slanted_, x^2^, H~2~O;
          # begins a heading, - a list.
        </p>
      )}
    </div>
  );
}

type OfSamplesProps = {
  made: object | undefined;
  show: Extract<Show, { what: "figure" | "table" | "limits" }>;
  run: RunDetail | undefined;
  runWord: ReactNode;
  onSet: (part: object) => Promise<unknown>;
};

function OfSamples({ show, made, run, runWord, onSet }: OfSamplesProps) {
  const go = useGo();
  const own = recipeIn(show) as Recipe & { channels?: number[] };
  // What was not chosen is shown as it was carried out.
  const recipe = { ...made, ...own } as typeof own;
  if (!run) return <p className="text-soft">Reading the run …</p>;
  const kind = lensOf(recipe.lens);
  const channels = recipe.channels ?? [];
  const rows = rowsOf(run);
  const unit = rows.find((r) => r.channel === channels[0])?.unit ?? "";
  const parts = typeof kind.sentence === "function" ? kind.sentence(recipe) : kind.sentence;
  const stretch = own.stretch as { from_s: number; to_s: number } | undefined;
  const to = (next: Recipe, of: number[] | undefined = own.channels) => {
    const whole = recipeOf(run, next, of ?? [], [0, 0]);
    return onSet({ recipe: { ...whole, channels: of, stretch } });
  };
  return (
    <>
      <p>
        It shows the{" "}
        <ChosenWord
          label="Lens of the block"
          value={recipe.lens}
          options={lenses.map((l) => ({ value: l.lens, says: l.says.toLowerCase() }))}
          onSet={(lens) => to(lensOf(lens).fresh(run, undefined))}
        />{" "}
        of{" "}
        <ChannelsWord
          label="Channels of the block"
          face={
            channels.map((c) => rows.find((r) => r.channel === c)?.name ?? `channel ${c}`).join(", ") || "all channels"
          }
          inputs={channels}
          channels={rows.map((r) => ({ input: r.channel, label: `${r.channel}`, name: r.name })) as never}
          width="max-w-64"
          onSet={(next) => next.length > 0 && to(own, next)}
        />{" "}
        in {runWord}, from{" "}
        <RangeWord
          label="Stretch of the block"
          value={stretch ? [stretch.from_s, stretch.to_s] : undefined}
          none="its begin to its end"
          unit="s"
          low={0}
          high={run.duration_s}
          onSet={(s) => onSet({ recipe: { ...own, stretch: s ? { from_s: s[0], to_s: s[1] } : undefined } })}
        />
        {parts.length > 0 && ": "}
        <Sentence
          run={run}
          parts={parts}
          recipe={recipe}
          unit={unit}
          onSet={(key, value) => {
            const next = put(recipe, key, value);
            const whole = kind.completed?.(next, recipe, run, undefined) ?? next;
            // Settings that belong to the samples stay as they were chosen.
            const { channels: _, stretch: __, ...settings } = whole;
            to(settings as Recipe);
          }}
        />
        .
      </p>
      <Button look="link" className="self-start" onClick={() => go(`/study/${run.id}`)}>
        Open the run in Study
      </Button>
    </>
  );
}

/** Where a figure or a table comes from: a lens on a run, or a result that is kept. */
function Source({ show, kept, onSet }: { show: OfResult; kept: Props["kept"]; onSet: (part: object) => unknown }) {
  const own = keptIn(show);
  if (own === undefined && kept.length === 0) return null;
  const known = own === undefined || kept.some((k) => k.id === own);
  return (
    <p>
      Its source is{" "}
      <ChosenWord
        label="Source of the block"
        value={own ?? -1}
        options={[
          { value: -1, says: "a lens on a run" },
          ...kept.map((k) => ({
            value: k.id,
            says: `“${k.name}”, ${k.run_number ? `run ${k.run_number}` : "from a file or many runs"}, ${moment(k.made_at)}`,
            face: `“${k.name}”`,
          })),
          ...(known ? [] : [{ value: own ?? 0, says: "a kept result that is gone" }]),
        ]}
        onSet={(id) => {
          // A lens takes the place of what was kept: the one before, or the usual one.
          if (id === -1) return onSet({ kept: null, part: "curves", recipe: show.recipe ?? usual(show.what) });
          const lens = (kept.find((k) => k.id === id)?.recipe as { lens?: string })?.lens ?? "";
          return onSet(show.what === "figure" ? { kept: id, part: modal(lens) ? "shapes" : "curves" } : { kept: id });
        }}
      />
      .
    </p>
  );
}

const usual = (what: "figure" | "table") => ({
  lens: what === "figure" ? "spectrum" : "statistics",
  channels: [1],
});

/** How a figure is drawn. */
function Drawn({ show, each, onSet }: { show: Figure; each: Block["each"]; onSet: (part: object) => unknown }) {
  return (
    <p>
      It shows its{" "}
      <ChosenWord
        label="Part of the result"
        value={show.part ?? "curves"}
        // What a lens makes of a run has no modes.
        options={Object.entries(parts)
          .filter(([part]) => keptIn(show) !== undefined || part === "curves" || part === "polar")
          .map(([value, says]) => ({ value, says }))}
        onSet={(part) => onSet({ part })}
      />
      . It is drawn{" "}
      <ChosenWord
        label="Height of the figure"
        value={show.height ?? "usual"}
        options={Object.entries(heights).map(([value, says]) => ({ value, says }))}
        onSet={(height) => onSet({ height })}
      />
      , over{" "}
      <RangeWord
        label="Range of the figure"
        value={show.shown as [number, number] | undefined}
        none="the whole axis"
        onSet={(shown) => onSet({ shown: shown ?? null })}
      />
      ,{" "}
      <ChosenWord
        label="Vertical axis of the figure"
        value={show.decades == null ? "usual" : show.decades ? "log" : "linear"}
        options={[
          { value: "usual", says: "upwards as the lens does" },
          { value: "log", says: "upwards in decades" },
          { value: "linear", says: "upwards in even steps" },
        ]}
        onSet={(v) => onSet({ decades: v === "usual" ? null : v === "log" })}
      />
      ,{" "}
      <ChosenWord
        label="Notes in the figure"
        value={show.notes === false ? "without" : "with"}
        options={[
          { value: "with", says: "with notes" },
          { value: "without", says: "without notes" },
        ]}
        onSet={(v) => onSet({ notes: v === "with" })}
      />
      {each && (
        <>
          ,{" "}
          <ChosenWord
            label="Figures beside each other"
            value={show.beside ?? 1}
            options={["one", "two", "three", "four"].map((n, i) => ({ value: i + 1, says: `${n} beside each other` }))}
            onSet={(beside) => onSet({ beside })}
          />
        </>
      )}
      .
    </p>
  );
}
