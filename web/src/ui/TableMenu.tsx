/** The table of a sheet to the clipboard or as CSV, as it stands there. */
import { useState } from "react";
import { Button } from "./Button";
import { copyText, saveCsv } from "./save";
import { cellText, tsvOf } from "./tables";

/** Texts of a table on the page, line by line; what has no words, such as buttons, is left out. */
function linesOf(table: HTMLTableElement): string[][] {
  const all = [...table.rows].map((row) =>
    [...row.cells].flatMap((c) => [
      c.querySelector("button[aria-label]") && !c.textContent?.match(/[\p{L}\p{N}]/u)
        ? ""
        : cellText(c.textContent ?? ""),
      ...Array.from({ length: c.colSpan - 1 }, () => ""),
    ]),
  );
  const wide = Math.max(...all.map((r) => r.length));
  const used = Array.from({ length: wide }, (_, k) => all.some((r) => r[k]));
  return all.map((r) => r.filter((_, k) => used[k]));
}

/** Stands in the head of a sheet; several tables of it follow each other with an empty line between. */
export function TableMenu({ name }: { name: string }) {
  const [says, setSays] = useState("");
  const act = async (from: HTMLElement, does: (lines: string[][]) => Promise<string> | string) => {
    const tables = [...(from.closest("section")?.querySelectorAll("table") ?? [])].filter((t) => t.rows.length > 0);
    try {
      const lines = tables.flatMap((t, i) => (i ? [[], ...linesOf(t)] : linesOf(t)));
      setSays(lines.length ? await does(lines) : "There is no table here now.");
    } catch (e) {
      setSays((e as Error).message);
    }
  };
  return (
    <span className="flex items-center gap-3 text-[13px]">
      {says && (
        <span role="status" className="text-soft">
          {says}
        </span>
      )}
      <Button
        look="link"
        aria-label={`Copy the table ${name}`}
        onClick={(e) =>
          act(e.currentTarget, async (lines) => {
            await copyText(tsvOf(lines));
            return `${lines.length} rows copied`;
          })
        }
      >
        Copy
      </Button>
      <Button
        look="link"
        aria-label={`Save the table ${name} as CSV`}
        onClick={(e) =>
          act(e.currentTarget, (lines) => {
            saveCsv(lines, name);
            return "saved";
          })
        }
      >
        CSV
      </Button>
    </span>
  );
}
