import { expect, test } from "vitest";
import type { Caution, Channel, RigBody } from "../../../src/api/client";
import { columnOf, columns, offered, template } from "../../../src/stations/rig/columns";
import { rowsOf, type View } from "../../../src/stations/rig/view";

const channel = (input: number, part: object = {}) =>
  ({
    input,
    label: `${input}`,
    on: true,
    name: `frame ${input}`,
    sensor: "",
    quantity: "acceleration",
    sensitivity: { value: 10.2, unit: "mV/(m/s²)" },
    coupling: "IEPE",
    range_v: 5,
    high_pass_hz: 0,
    point: "",
    direction: "z",
    unit: "m/s²",
    ...part,
  }) as unknown as Channel;

const all = [
  channel(1, { name: "axis 10", point: "14" }),
  channel(2, { name: "axis 9", on: false, direction: "x" }),
  channel(3, { name: "hammer", unit: "N", point: "14", direction: "-z" }),
  channel(12, { name: "axis 2", sensor: "QA-31, 20455" }),
];
const view = (part: Partial<View> = {}): View => ({
  search: "",
  filters: {},
  order: { key: "input", down: false },
  onlyCautions: false,
  onlyOn: false,
  hidden: [],
  ...part,
});
const shown = (part: Partial<View>, cautions: object[] = []) =>
  rowsOf(all, cautions as Caution[], view(part)).map((c) => c.input);

test("rows are found by anything that stands in them, filtered by column", () => {
  expect(shown({})).toEqual([1, 2, 3, 12]);
  expect(shown({ search: "  QA-31 " })).toEqual([12]);
  expect(shown({ search: "axis" })).toEqual([1, 2, 12]);
  expect(shown({ search: "axis", filters: { point: "14" } })).toEqual([1]);
  expect(shown({ filters: { direction: "Z" } })).toEqual([1, 3, 12]);
  expect(shown({ filters: { direction: "" } })).toEqual([1, 2, 3, 12]);
  expect(shown({ search: "rudder" })).toEqual([]);
  expect(rowsOf(undefined, undefined, view())).toEqual([]);
});

test("names with numbers are ordered as people count", () => {
  expect(shown({ order: { key: "name", down: false } })).toEqual([12, 2, 1, 3]);
  expect(shown({ order: { key: "name", down: true } })).toEqual([3, 1, 2, 12]);
  expect(shown({ order: { key: "input", down: true } })).toEqual([12, 3, 2, 1]);
  // What is alike stays in the order of the inputs.
  expect(shown({ order: { key: "coupling", down: false } })).toEqual([1, 2, 3, 12]);
});

test("rows with cautions are those whose cautions nobody let pass", () => {
  const cautions = [{ input: 1 }, { input: 3, waived: { reason: "known" } }, { input: null }];
  expect(shown({ onlyCautions: true }, cautions)).toEqual([1]);
  expect(shown({ onlyCautions: true })).toEqual([]);
  expect(shown({ onlyOn: true })).toEqual([1, 3, 12]);
});

test("cells show what is set in words", () => {
  const text = (key: string, c: Channel) => columnOf(key)?.text(c);
  expect(text("on", channel(1, { on: false }))).toBe("off");
  expect(text("range_v", channel(1, { range_v: 0.316 }))).toBe("0.316 V");
  expect(text("high_pass_hz", channel(1))).toBe("off");
  expect(text("high_pass_hz", channel(1, { high_pass_hz: 0.7 }))).toBe("0.7 Hz");
  expect(text("sensitivity", channel(1, { sensitivity: { value: 2.27, unit: "mV/N" } }))).toBe("2.27");
  expect(columnOf("elsewhere")).toBeUndefined();
});

test("what is offered follows the front end, the quantity and the specimen", () => {
  const rig = {
    units: [{ quantity: "acceleration", units: ["m/s²", "g"], sensitivity_units: ["mV/(m/s²)", "mV/g"] }],
    front_end: { inputs: [{ couplings: ["IEPE", "DC"], ranges_v: [1, 10], high_pass_hz: [0, 0.7] }] },
  } as unknown as RigBody;
  const options = (key: string, c: Channel, typed = "") =>
    columnOf(key)?.options?.(c, rig, { points: ["1", "2", "12"], directions: ["x", "-z"] }, typed);
  expect(options("coupling", channel(1))).toEqual(["IEPE", "DC"]);
  // An input that the front end does not have may be anything.
  expect(options("coupling", channel(7))?.length).toBeGreaterThan(5);
  expect(options("range_v", channel(1))).toEqual(["1 V", "10 V"]);
  expect(options("range_v", channel(7))).toEqual([]);
  expect(options("high_pass_hz", channel(1))).toEqual(["off", "0.7 Hz"]);
  expect(options("unit", channel(1))).toEqual(["m/s²", "g"]);
  expect(options("unit", channel(1, { quantity: "force" }))).toEqual([]);
  expect(options("point", channel(1), "2")).toEqual(["2", "12"]);
  expect(options("direction", channel(1, { direction: "x" }), "x")).toEqual(["x", "-z"]);
});

test("a long list of options is cut, and what stood there already narrows nothing", () => {
  const many = Array.from({ length: 300 }, (_, k) => `P${k}`);
  expect(offered(many, "", "").length).toBe(40);
  expect(offered(many, "p29", "")).toEqual(["P29", ...Array.from({ length: 10 }, (_, k) => `P29${k}`)]);
  expect(offered(many, "P29", "P29")[0]).toBe("P0");
});

test("the table's grid has a place for each column beside state, input, level and rms", () => {
  const some = columns.filter((c) => ["name", "range_v"].includes(c.key));
  expect(template(some)).toBe("18px 42px minmax(112px,1.5fr) minmax(52px,52px) 74px 56px");
});
