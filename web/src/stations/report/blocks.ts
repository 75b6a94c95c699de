/** Blocks of a report: what they are called, and what is done to their list. */
import type { ReportBody, RunBody, Schema } from "../../api/client";
import { span } from "../../ui/format";
import { lensOf } from "../study/lens/lenses";

export type Block = Schema["ReportBlock"];
export type Show = Schema["ReportShow"];
export type What = Show["what"];

/** Kinds of blocks in the order they are offered, with the title that a new one gets. */
export const kinds: Record<What, { says: string; title: string }> = {
  head: { says: "Head", title: "" },
  text: { says: "Text", title: "Findings" },
  facts: { says: "What was measured", title: "What was measured" },
  figure: { says: "Figure", title: "Spectrum" },
  table: { says: "Table", title: "Levels" },
  limits: { says: "Limits with verdict", title: "Limits" },
  rig: { says: "Rig", title: "Rig" },
  records: { says: "Records", title: "Marks" },
  specimen: { says: "Specimen", title: "Specimen" },
  cautions: { says: "Cautions", title: "Cautions" },
  corrections: { says: "Put right afterwards", title: "Put right afterwards" },
  made: { says: "How each number was made", title: "How each number was made" },
  signature: { says: "Signatures", title: "" },
  next_page: { says: "Next page", title: "" },
};

const fresh: { [K in What]: () => Extract<Show, { what: K }> } = {
  head: () => ({ what: "head" }),
  text: () => ({ what: "text", text: "" }),
  facts: () => ({ what: "facts" }),
  figure: () => ({ what: "figure", recipe: { lens: "spectrum", channels: [1] } as never }),
  table: () => ({ what: "table", recipe: { lens: "statistics", channels: [1] } as never }),
  limits: () => ({
    what: "limits",
    recipe: { lens: "statistics" } as never,
    number: "rms",
    limits: [{ channels: [], at_most: 1 }],
  }),
  rig: () => ({ what: "rig" }),
  records: () => ({ what: "records", of: "marks" }),
  specimen: () => ({ what: "specimen", drawn: true, pictures: true, beside: 2 }),
  cautions: () => ({ what: "cautions" }),
  corrections: () => ({ what: "corrections" }),
  made: () => ({ what: "made" }),
  signature: () => ({ what: "signature", names: ["Test engineer", "Customer"] }),
  next_page: () => ({ what: "next_page" }),
};

/** The kept result that a block shows. */
export const keptIn = (show: Show) =>
  show.what === "figure" || show.what === "table" ? (show.kept ?? undefined) : undefined;

/** Kept results that blocks show and that are stale. */
export const staleOf = (blocks: Block[], kept: Schema["KeptResultBody"][]) =>
  kept.filter((k) => k.stale && blocks.some((b) => keptIn(b.show) === k.id));

/** The recipe of a block that is made of samples. */
export const recipeIn = (show: Show) =>
  show.what === "limits" || ((show.what === "figure" || show.what === "table") && show.kept == null)
    ? (show.recipe as object as { lens: string; channels?: number[]; stretch?: { from_s: number; to_s: number } })
    : undefined;

/** The run of its own that a block shows. */
export const runIn = (show: Show) => ("run_id" in show ? (show.run_id ?? undefined) : undefined);

/** What a block is called in the list. */
export const nameOf = (b: Block) => b.title || kinds[b.show.what].says;

/** What kind of block it is, within a line. */
const kindOf = (show: Show) => (show.what === "records" ? records[show.of].face : kinds[show.what].says.toLowerCase());

const onlyOf = (b: Block) =>
  b.only === "exceeded" ? " beyond its limit" : b.only === "limited" ? " with a limit" : "";

/** What a block shows, in a line under its name. */
export function lineOf(
  b: Block,
  runs: Pick<RunBody, "id" | "number">[],
  kept: Pick<Schema["KeptResultBody"], "id" | "name">[] = [],
): string {
  const key = keptIn(b.show);
  if (key !== undefined) {
    const name = kept.find((k) => k.id === key)?.name;
    const each = b.each ? `each ${b.each}${onlyOf(b)}` : "";
    return [name ? `“${name}”` : "a kept result that is gone", partOf(b.show), each].filter(Boolean).join(", ");
  }
  const own = runIn(b.show);
  const run = own === undefined ? "" : `run ${runs.find((r) => r.id === own)?.number ?? "that is gone"}`;
  const recipe = recipeIn(b.show);
  const parts = [
    recipe ? lensOf(recipe.lens).says.toLowerCase() : b.title ? kindOf(b.show) : "",
    recipe?.channels ? `${recipe.channels.length} channel${recipe.channels.length > 1 ? "s" : ""}` : "",
    b.each ? `each ${b.each}${onlyOf(b)}` : "",
    b.show.what === "limits" ? `${b.show.number}` : "",
    b.show.what === "text" ? `${(b.show.text ?? "").split("\n").filter((l) => l.trim()).length} lines` : "",
    b.show.what === "signature" ? b.show.names.join(", ") : "",
    run,
  ];
  return parts.filter((p, i) => p && (i > 0 || p !== nameOf(b).toLowerCase())).join(", ");
}

/** What of modes a figure draws, in words. */
export const parts: Record<Schema["ReportPart"], string> = {
  curves: "curves",
  polar: "curves as polar",
  poles: "poles of every order",
  mac: "how alike the shapes are",
  shapes: "shapes on the specimen",
};

/** What a campaign records besides samples: in a sentence, and as a title; `run` where it is of one run. */
export const records: Record<Schema["ReportRecords"], { says: string; face: string; title: string; run: boolean }> = {
  marks: { says: "marks", face: "marks", title: "Marks", run: true },
  takes: { says: "takes", face: "takes", title: "Takes", run: true },
  rounds: { says: "the newest rounds with what was measured", face: "the newest rounds", title: "Rounds", run: false },
  alarms: { says: "alarms of watched quantities", face: "alarms", title: "Alarms", run: false },
  taps: {
    says: "points of the newest tap series",
    face: "points of a series",
    title: "Points that were hit",
    run: false,
  },
  waivers: { says: "findings of the rig that were let pass", face: "findings let pass", title: "Let pass", run: false },
  changes: { says: "who changed what, and when", face: "changes", title: "Changes", run: false },
  plan: { says: "the plan it was recorded by", face: "the plan", title: "Plan", run: true },
  self_test: {
    says: "what the front end found when inputs were tested",
    face: "the self-test",
    title: "Self-test",
    run: false,
  },
  events: {
    says: "takes read as events: peaks, duration, change of velocity",
    face: "events",
    title: "Events",
    run: true,
  },
  elements: {
    says: "the machine's elements with their lines",
    face: "the machine's elements",
    title: "Machine",
    run: true,
  },
  tap_map: {
    says: "points of the newest tap series on the specimen",
    face: "points on the specimen",
    title: "Points on the specimen",
    run: false,
  },
};

/** Lenses whose results have modes. */
export const modal = (lens: string) => lens === "modes" || lens === "operational_modes";

const partOf = (show: Show) => (show.what === "figure" && show.part && show.part !== "curves" ? parts[show.part] : "");

const free = (blocks: Block[]) => Math.max(0, ...blocks.map((b) => b.id)) + 1;

/** A block of a kind after another, or at the end; gives its key too. */
export function added(blocks: Block[], what: What, after?: number): { blocks: Block[]; id: number } {
  const id = free(blocks);
  const block: Block = { id, title: kinds[what].title, show: fresh[what]() };
  return { blocks: put(blocks, block, after), id };
}

function put(blocks: Block[], block: Block, after?: number): Block[] {
  const at = blocks.findIndex((b) => b.id === after);
  return at < 0 ? [...blocks, block] : [...blocks.slice(0, at + 1), block, ...blocks.slice(at + 1)];
}

/** A copy after what it is a copy of. */
export function copied(blocks: Block[], of: number): { blocks: Block[]; id: number } {
  const id = free(blocks);
  const own = blocks.find((b) => b.id === of);
  return { blocks: own ? put(blocks, { ...own, id }, of) : blocks, id: own ? id : of };
}

export const without = (blocks: Block[], id: number) => blocks.filter((b) => b.id !== id);

/** A block moved down by so many places, up where fewer than none. */
export function moved(blocks: Block[], id: number, by: number): Block[] {
  const at = blocks.findIndex((b) => b.id === id);
  const to = Math.min(Math.max(at + by, 0), blocks.length - 1);
  const own = blocks[at];
  if (!own || to === at) return blocks;
  const rest = without(blocks, id);
  return [...rest.slice(0, to), own, ...rest.slice(to)];
}

/** A change of the list taken back: the order that was before it, with what its blocks say now. What was added or removed
 * by something else since stays so. */
export function takenBack(now: Block[], before: Block[], after: Block[]): Block[] {
  const is = (all: Block[], id: number) => all.find((b) => b.id === id);
  const there = before.filter((b) => !is(after, b.id) || is(now, b.id));
  const back = there.map((b) => (is(after, b.id) && is(now, b.id)) || b);
  for (const b of now.filter((b) => !is(after, b.id))) {
    // A key that became free was given to something else since.
    back.push(is(back, b.id) ? { ...b, id: free([...back, ...now]) } : b);
  }
  return back;
}

/** A block that is folded away, or back on the page. */
export const folded = (blocks: Block[], id: number) =>
  blocks.map((b) => (b.id === id ? { ...b, folded: !b.folded } : b));

export const changed = (blocks: Block[], id: number, part: Partial<Omit<Block, "id">>) =>
  blocks.map((b) => (b.id === id ? { ...b, ...part } : b));

/** The spectrum of channel 1 that stands in a report until somebody chooses one. */
const nobodys = (recipe: { lens?: string; channels?: number[] }) =>
  recipe.lens === "spectrum" && `${recipe.channels}` === "1" && Object.keys(recipe).length === 2;

/** A result from Study as a figure after the last one; the spectrum that stands in a report nobody wrote gives way. */
export function withFigure(
  body: ReportBody,
  figure: { title: string; run_id: number; recipe: object; shown: [number, number] | null },
): { body: ReportBody; id: number } {
  const { title, ...show } = figure;
  const first = body.blocks.find((b) => b.show.what === "figure" && nobodys(recipeIn(b.show) ?? {}));
  const last = body.blocks.findLast((b) => b.show.what === "figure" || b.show.what === "table");
  const id = first?.id ?? free(body.blocks);
  const block: Block = { id, title, show: { what: "figure", ...show, recipe: show.recipe as never } };
  if (!first) return { body: { ...body, blocks: put(body.blocks, block, last?.id) }, id };
  const channels = (figure.recipe as { channels?: number[]; stretch?: object }).channels?.slice(0, 1);
  const stretch = (figure.recipe as { stretch?: object }).stretch;
  // The waveform beside it shows the same.
  const beside = (b: Block): Block =>
    b.show.what === "figure" && recipeIn(b.show)?.lens === "waveform" && channels && runIn(b.show) === undefined
      ? { ...b, show: { ...b.show, run_id: figure.run_id, recipe: { ...b.show.recipe, channels, stretch } as never } }
      : b;
  const blocks = body.blocks.map((b) => (b.id === id ? block : beside(b)));
  return { body: { ...body, run_id: figure.run_id, blocks }, id };
}

/** A kept result after the last figure; modes are shown as their shapes and as a table. */
export function withKept(
  body: ReportBody,
  kept: { id: number; name: string; lens: string },
): { body: ReportBody; id: number } {
  const last = body.blocks.findLast((b) => b.show.what === "figure" || b.show.what === "table");
  const id = free(body.blocks);
  const modes = modal(kept.lens);
  const figure: Block = {
    id,
    title: kept.name,
    show: { what: "figure", kept: kept.id, part: modes || kept.lens === "deflection" ? "shapes" : "curves" },
  };
  const blocks = put(body.blocks, figure, last?.id);
  const table: Block = { id: id + 1, title: "", show: { what: "table", kept: kept.id } };
  return { body: { ...body, blocks: modes ? put(blocks, table, id) : blocks }, id };
}

/** Runs as a word offers them. */
export const runOptions = (runs: RunBody[]) =>
  runs.map((r) => ({
    value: r.id,
    says: `run ${r.number}, ${r.kind}, ${span(r.duration_s)}`,
    face: `run ${r.number}`,
  }));
