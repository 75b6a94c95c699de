import { expect, test } from "vitest";
import type { ReportBody } from "../../../src/api/client";
import {
  added,
  type Block,
  changed,
  copied,
  folded,
  keptIn,
  kinds,
  lineOf,
  moved,
  nameOf,
  recipeIn,
  runIn,
  staleOf,
  takenBack,
  withFigure,
  withKept,
  without,
} from "../../../src/stations/report/blocks";

const block = (id: number, show: Block["show"], title = ""): Block => ({ id, title, show });
const head = block(1, { what: "head" });
const text = block(2, { what: "text", text: "one\n\ntwo" }, "Findings");
const rig = block(5, { what: "rig", run_id: 31 });
const all = [head, text, rig];
const ids = (blocks: Block[]) => blocks.map((b) => b.id);

test("a block comes after the chosen one, with a key of its own", () => {
  const { blocks, id } = added(all, "signature", 1);
  expect(ids(blocks)).toEqual([1, 6, 2, 5]);
  expect(id).toBe(6);
  expect(ids(added(all, "figure").blocks)).toEqual([1, 2, 5, 6]);
  for (const what of Object.keys(kinds) as (keyof typeof kinds)[]) {
    expect(added(all, what).blocks.at(-1)?.show.what).toBe(what);
  }
});

test("blocks are moved no further than there is room, copied beside themselves, removed and changed", () => {
  expect(ids(moved(all, 5, -1))).toEqual([1, 5, 2]);
  expect(ids(moved(all, 5, -9))).toEqual([5, 1, 2]);
  expect(moved(all, 5, 1)).toBe(all);
  expect(moved(all, 99, 1)).toBe(all);
  const copy = copied(all, 2);
  expect(ids(copy.blocks)).toEqual([1, 2, 6, 5]);
  expect(copy.blocks[2]).toEqual({ ...text, id: 6 });
  expect(copied(all, 99)).toEqual({ blocks: all, id: 99 });
  expect(ids(without(all, 2))).toEqual([1, 5]);
  expect(changed(all, 2, { title: "Found" })[1]).toEqual({ ...text, title: "Found" });
});

test("the list says what a block shows, and of which run", () => {
  const runs = [{ id: 31, number: 4 }];
  expect([nameOf(text), lineOf(text, runs)]).toEqual(["Findings", "text, 2 lines"]);
  expect([nameOf(rig), lineOf(rig, runs)]).toEqual(["Rig", "run 4"]);
  expect(lineOf(rig, [])).toBe("run that is gone");
  const figure = block(7, { what: "figure", recipe: { lens: "spectrum", channels: [7, 8] } as never }, "At the top");
  expect(lineOf(figure, runs)).toBe("spectrum, 2 channels");
  const listed = (of: "marks" | "waivers", title: string) => lineOf(block(9, { what: "records", of }, title), runs);
  expect(listed("waivers", "Let pass")).toBe("findings let pass");
  expect(listed("marks", "Marks")).toBe("");
  expect(lineOf(block(8, { what: "signature", names: ["A", "B"] }), runs)).toBe("A, B");
});

const spectrum = { lens: "spectrum", channels: [7], block: 4096, stretch: { from_s: 1, to_s: 2 } };
const figure = { title: "Spectrum, run 3", run_id: 3, recipe: spectrum, shown: [0, 1400] as [number, number] };
const usual: ReportBody = {
  title: "Merrow",
  blocks: [
    head,
    block(3, { what: "figure", recipe: { lens: "waveform", channels: [1], points: 1200 } as never }, "Waveform"),
    block(4, { what: "figure", recipe: { channels: [1], lens: "spectrum" } as never }, "Spectrum"),
    rig,
  ],
};

test("the first result from Study takes the place of the spectrum that nobody chose, and its waveform goes with it", () => {
  const { body, id } = withFigure(usual, figure);
  expect(id).toBe(4);
  expect(body.run_id).toBe(3);
  expect(ids(body.blocks)).toEqual([1, 3, 4, 5]);
  expect(body.blocks[2]).toMatchObject({
    title: "Spectrum, run 3",
    show: { run_id: 3, shown: [0, 1400], recipe: spectrum },
  });
  expect(body.blocks[1]).toMatchObject({
    show: { run_id: 3, recipe: { lens: "waveform", channels: [7], points: 1200 } },
  });
});

test("a further result is a further figure: nothing that is there is replaced", () => {
  const first = withFigure(usual, figure).body;
  const cuts = { ...figure, title: "Orders", recipe: { lens: "order_cuts", channels: [7] } };
  const { body, id } = withFigure(first, cuts);
  expect(ids(body.blocks)).toEqual([1, 3, 4, id, 5]);
  expect(body.blocks.slice(0, 3)).toEqual(first.blocks.slice(0, 3));
  const bare = withFigure({ title: "x", blocks: [head, rig] }, cuts).body.blocks;
  expect(ids(bare)).toEqual([1, 5, 6]);
});

test("only what is made of samples has a recipe, and only what asks for one has a run", () => {
  const table: Block["show"] = { what: "table", run_id: 3, recipe: spectrum as never };
  expect(recipeIn(table)).toEqual(spectrum);
  expect(runIn(table)).toBe(3);
  for (const show of [{ what: "head" }, { what: "text", text: "x" }, { what: "signature", names: ["A"] }] as const) {
    expect(recipeIn(show as Block["show"])).toBeUndefined();
    expect(runIn(show as Block["show"])).toBeUndefined();
  }
  expect(runIn({ what: "facts", run_id: null })).toBeUndefined();
});

test("a further figure keeps the run of its own though the report's run is another one", () => {
  const first = withFigure(usual, figure).body;
  const other = withFigure(first, { ...figure, run_id: 9, title: "Spectrum, run 9" });
  expect(other.body.run_id).toBe(3);
  const made = other.body.blocks.find((b) => b.id === other.id);
  expect(made?.show).toMatchObject({ run_id: 9, recipe: spectrum });
  expect(added(other.body.blocks, "text").id).toBe(other.id + 1);
});

test("a change that is taken back leaves what was written and done since", () => {
  const left = without(all, 5);
  const written = changed(left, 2, { show: { what: "text", text: "found since" } });
  const back = takenBack(written, all, left);
  expect(ids(back)).toEqual([1, 2, 5]);
  expect(back[1]?.show).toEqual({ what: "text", text: "found since" });
  const more = added(left, "signature").blocks;
  expect(ids(takenBack(more, all, left))).toEqual([1, 2, 5, 3]);
  const three = [head, text, block(3, { what: "made" })];
  const again = added(without(three, 3), "signature").blocks;
  const both = takenBack(again, three, without(three, 3));
  expect(both.map((b) => [b.id, b.show.what])).toEqual([
    [1, "head"],
    [2, "text"],
    [3, "made"],
    [4, "signature"],
  ]);
  const other = [...left, block(9, { what: "made" })];
  expect(ids(takenBack(other, all, left))).toEqual([1, 2, 5, 9]);
  expect(ids(takenBack(without(left, 2), all, left))).toEqual([1, 5]);
  expect(takenBack(moved(all, 5, -1), all, moved(all, 5, -1))).toEqual(all);
  const copy = copied(all, 2);
  expect(takenBack(copy.blocks, all, copy.blocks)).toEqual(all);
});

test("a kept result is named in the list, and one that is gone says so", () => {
  const kept = block(9, { what: "figure", kept: 4, part: "mac" }, "Alike");
  expect(keptIn(kept.show)).toBe(4);
  expect(recipeIn(kept.show)).toBeUndefined();
  expect(lineOf(kept, [], [{ id: 4, name: "modes" }])).toBe("“modes”, how alike the shapes are");
  expect(lineOf(kept, [], [])).toBe("a kept result that is gone, how alike the shapes are");
  const limits = block(10, { what: "limits", recipe: { lens: "statistics" } as never, number: "rms", limits: [] });
  expect(lineOf({ ...limits, each: "run" }, [])).toBe("statistics, each run, rms");
});

test("kept modes become their shapes and a table, other results a figure", () => {
  const body: ReportBody = { title: "x", blocks: all };
  const modes = withKept(body, { id: 4, name: "modes of the bracket", lens: "modes" });
  expect(ids(modes.body.blocks)).toEqual([1, 2, 5, 6, 7]);
  expect(modes.body.blocks[3]?.show).toEqual({ what: "figure", kept: 4, part: "shapes" });
  expect(modes.body.blocks[4]?.show).toEqual({ what: "table", kept: 4 });
  const again = withKept(modes.body, { id: 5, name: "mesh", lens: "spectrum" });
  expect(ids(again.body.blocks)).toEqual([1, 2, 5, 6, 7, 8]);
  expect(again.body.blocks.at(-1)?.show).toEqual({ what: "figure", kept: 5, part: "curves" });
  expect(again.id).toBe(8);
});

test("limits begin with a number of every channel and one level for all of them", () => {
  const { blocks, id } = added(all, "limits", 2);
  const own = blocks.find((b) => b.id === id);
  expect(own?.title).toBe("Limits");
  expect(own?.show).toMatchObject({ what: "limits", number: "rms", limits: [{ channels: [], at_most: 1 }] });
  // Without channels it is about all of the run: nothing that a run of fewer channels lacks.
  expect(recipeIn(own?.show ?? { what: "head" })).toEqual({ lens: "statistics" });
  expect(runIn(own?.show ?? { what: "head" })).toBeUndefined();
});

test("every kind that is offered can be stored as it begins", () => {
  const keys = new Set<string>();
  for (const what of Object.keys(kinds) as (keyof typeof kinds)[]) {
    const { show } = added([], what).blocks[0] as Block;
    // A key that the server does not know would refuse the whole report.
    expect(JSON.parse(JSON.stringify(show))).toEqual(show);
    if (show.what === "figure" || show.what === "table" || show.what === "limits") {
      expect(recipeIn(show)?.lens).toBeTruthy();
      expect(keptIn(show)).toBeUndefined();
    }
    keys.add(kinds[what].says);
  }
  expect(keys.size).toBe(Object.keys(kinds).length);
});

test("a block that is repeated keeps that where it is copied and brought back", () => {
  const each: Block = { ...block(9, { what: "table", kept: 4 }, "Levels"), each: "channel" };
  const before = [...all, each];
  const after = copied(before, 9).blocks;
  expect(after.at(-1)).toEqual({ ...each, id: 10 });
  const gone = without(before, 9);
  expect(takenBack(gone, before, gone).at(-1)).toEqual(each);
  expect(changed(before, 9, { each: null }).at(-1)?.each).toBeNull();
});

test("a block that is folded away stays in its place", () => {
  const away = folded(all, 2);
  expect(ids(away)).toEqual(ids(all));
  expect(away.map((b) => b.folded ?? false)).toEqual([false, true, false]);
  expect(folded(away, 2).map((b) => b.folded ?? false)).toEqual([false, false, false]);
});

test("a repeated block tells over what, and by which limits", () => {
  const figure: Block["show"] = { what: "figure", recipe: { lens: "spectrum" } as never };
  const of = (part: Partial<Block>) => lineOf({ ...block(3, figure, "Spectra"), ...part }, []);
  expect(of({ each: "point" })).toBe("spectrum, each point");
  expect(of({ each: "channel", only: "exceeded" })).toBe("spectrum, each channel beyond its limit");
  expect(of({ each: "point", only: "limited" })).toBe("spectrum, each point with a limit");
  const kept = lineOf({ ...block(4, { what: "figure", kept: 7 }), each: "point" }, [], [{ id: 7, name: "mesh" }]);
  expect(kept).toBe("“mesh”, each point");
});

test("kept results that blocks show and that are older than their runs are told once each", () => {
  const kept = (id: number, stale: boolean) => ({ id, stale }) as Parameters<typeof staleOf>[1][number];
  const shows = [1, 2, 2, 3].map((key, i) => block(10 + i, { what: "table", kept: key }));
  expect(staleOf(shows, [kept(1, false), kept(2, true), kept(9, true)]).map((k) => k.id)).toEqual([2]);
  expect(staleOf([head], [kept(2, true)])).toEqual([]);
});
