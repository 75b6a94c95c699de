import { expect, test } from "vitest";
import type { RunDetail } from "../../../src/api/client";
import { first, fitted, ready } from "../../../src/stations/study/bench";
import { benchInto, benchOf } from "../../../src/stations/study/benchAddress";

const channel = (channel: number, quantity: string) => ({ channel, recorded: { quantity, unit: "m/s²" } });
const run = {
  sample_rate_hz: 51_200,
  clean_share: 0.4,
  duration_s: 60,
  channels: [channel(1, "acceleration"), channel(2, "displacement"), channel(3, "displacement"), channel(4, "voltage")],
} as unknown as RunDetail;

const through = (bench: ReturnType<typeof first>) => {
  const params = new URLSearchParams();
  benchInto(params, bench, run);
  // As it is mailed.
  return new URLSearchParams(params.toString());
};

test("a bench that is always there travels by its name alone, a changed one whole", () => {
  for (const { name, panels } of ready) {
    const bench = { name, panels: panels(run, undefined) };
    const params = through(bench);
    expect(params.has("panels"), name).toBe(false);
    expect(benchOf(params, run)).toEqual(bench);
    const [one, ...rest] = bench.panels;
    const changed = { name, panels: [{ ...one, look: { scale: "db" as const } }, ...rest] } as typeof bench;
    const whole = through(changed);
    expect(benchOf(whole, run)).toEqual(changed);
    expect(whole.toString().length, "an address that mail programs take").toBeLessThan(2000);
  }
});

test("what is no bench is none", () => {
  for (const text of ["", "bench=mine", "bench=shaft&panels=torn", "panels=N4Ig", "bench=shaft&panels=NobZ"])
    expect(benchOf(new URLSearchParams(text), run), text).toBeUndefined();
  const strange = new URLSearchParams();
  benchInto(strange, { name: "x", panels: [{ x: "0" }] as never }, run);
  expect(benchOf(strange, run)).toBeUndefined();
});

test("blocks of another run are shortened to what this one holds", () => {
  const bench = first(run);
  const long = { ...bench, panels: bench.panels.map((p) => ({ ...p, recipe: { ...p.recipe, block: 1 << 20 } })) };
  const short = fitted(long, { ...run, duration_s: 1 });
  expect(short.panels.every((p) => Number(p.recipe.block) <= 25_600)).toBe(true);
});
