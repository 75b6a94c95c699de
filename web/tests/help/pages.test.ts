import { describe, expect, it } from "vitest";
import { leadsTo, pages, pictureOf } from "../../src/help/pages";

describe("the help page", () => {
  it("leads from text to text within the page", () => {
    expect(leadsTo("bump-test.md")).toBe("/help/bump-test");
    expect(leadsTo("../methods.md")).toBe("/help/methods");
    expect(leadsTo("glossary.md")).toBe("/help/words");
    expect(leadsTo("../campaign-file.md")).toBe("../campaign-file.md");
  });
  it("has every text, and every picture that a text shows", async () => {
    for (const p of pages) {
      const text = (await p.load()).default;
      expect(text, p.key).toMatch(/^# /);
      if (["words", "methods"].includes(p.key)) continue;
      for (const [, src] of text.matchAll(/!\[[^\]]*\]\(([^)]+)\)/g))
        expect(pictureOf(src as string), src).toBeDefined();
      for (const [, href] of text.matchAll(/[^!]\[[^\]]*\]\(([^)]+)\)/g))
        expect(leadsTo(href as string)).toMatch(/^\/help\//);
    }
  });
});
