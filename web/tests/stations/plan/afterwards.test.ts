import { describe, expect, it } from "vitest";
import { formats, reportForms, separators } from "../../../src/jobs/fileForms";
import { undone } from "../../../src/shell/CourseLine";
import {
  beforeReports,
  doneWords,
  endedWords,
  endsOf,
  fileRule,
  keepRule,
  modesRule,
  reportRule,
  responsesRule,
} from "../../../src/stations/plan/afterwards";

describe("what is done by itself", () => {
  it("keeps of every run what was kept of one, by the names of its channels", () => {
    const run = {
      channels: [
        { channel: 3, recorded: { name: "motor" } },
        { channel: 1, recorded: { name: "gearbox top" } },
      ],
    };
    const recipe = { lens: "spectrum", channels: [3], stretch: { from_s: 1, to_s: 2 }, takes: [1] };
    const rule = keepRule({ name: "mesh", recipe: recipe as never }, run as never);
    expect(rule).toEqual({
      when: "run",
      what: {
        do: "keep",
        name: "mesh",
        recipe: { lens: "spectrum", channels: [3] },
        channels: ["gearbox top", "", "motor"],
      },
    });
  });

  it("follows what it can, and comes before the report that shows it", () => {
    const ends = (rule: { what: unknown }) => endsOf(rule.what as never).map((e) => e.value);
    expect(ends(fileRule())).toEqual(["run", "round"]);
    expect(ends(reportRule())).toEqual(["run", "round", "rounds", "series"]);
    expect(ends(modesRule())).toEqual(["series"]);
    expect(ends(responsesRule())).toEqual(["series"]);
    const all = [fileRule(), reportRule(), responsesRule()];
    expect(beforeReports(all, modesRule()).map((r) => r.what.do)).toEqual(["file", "modes", "report", "responses"]);
    expect(beforeReports([], modesRule())).toHaveLength(1);
    expect(doneWords(modesRule().what)).toBe("modes kept as “modes”");
    expect(doneWords(responsesRule().what)).toBe("responses written as a universal file");
  });

  it("says what ended and what is done", () => {
    expect(endedWords({ ending: "round", number: 4 })).toBe("run 4");
    expect(endedWords({ ending: "rounds", number: 2 })).toBe("rounds");
    expect(endedWords({ ending: "series", number: 2 })).toBe("tap series 2");
    expect(doneWords({ do: "file", export: { format: "universal" } } as never)).toBe("written as universal file");
    expect(doneWords({ do: "report" } as never)).toBe("report as PDF");
    expect(doneWords({ do: "report", form: "docx", template: "Acceptance" } as never)).toBe(
      "report as DOCX by “Acceptance”",
    );
    expect(doneWords({ do: "keep", name: "mesh" } as never)).toBe("“mesh” kept");
  });

  it("counts what could not be done after what ended last, and lets the rest be", () => {
    const deed = (number: number, state: string) => ({ ending: "run", number, state }) as never;
    expect(undone([deed(4, "done"), deed(4, "refused"), deed(3, "refused")])).toBe(1);
    expect(undone([deed(4, "waiting"), deed(3, "refused")])).toBe(0);
    expect(undone([])).toBe(0);
  });

  it("offers each form once, and no comma for both the cell and the decimal", () => {
    for (const all of [formats, reportForms, separators])
      expect(new Set(all.map((f) => f.value)).size).toBe(all.length);
    expect(separators.filter((s) => s.put.separator === "comma" && s.put.decimal_comma)).toEqual([]);
  });
});
