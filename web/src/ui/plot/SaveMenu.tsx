/** What becomes of a plot: the clipboard, a picture, a table. */
import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/react";
import { useEffect, useState } from "react";
import { copyPicture, copyValues, type PlotFile, savePlot } from "./file";

const acts: { says: string; does: (plot: () => Promise<PlotFile>) => Promise<string> }[] = [
  { says: "Copy picture", does: copyPicture },
  { says: "Copy values", does: async (plot) => copyValues(await plot()) },
  { says: "Save as PNG", does: async (plot) => savePlot("png", await plot()) },
  { says: "Save as SVG", does: async (plot) => savePlot("svg", await plot()) },
  { says: "Save as CSV", does: async (plot) => savePlot("csv", await plot()) },
];

/** How long what was done is told. */
const TOLD_MS = 6000;

type Props = { label: string; file: () => PlotFile | Promise<PlotFile>; className?: string };

export function SaveMenu({ label, file, className }: Props) {
  const [says, setSays] = useState<{ text: string; wrong?: boolean }>();
  useEffect(() => {
    if (!says || says.text === BUSY) return;
    const rest = window.setTimeout(() => setSays(undefined), says.wrong ? 3 * TOLD_MS : TOLD_MS);
    return () => window.clearTimeout(rest);
  }, [says]);
  const act = (does: (typeof acts)[number]["does"]) => {
    setSays({ text: BUSY });
    does(async () => file()).then(
      (text) => setSays({ text }),
      (e) => setSays({ text: (e as Error).message, wrong: true }),
    );
  };
  return (
    <span className={`absolute bottom-0.5 left-1 z-10 flex items-center gap-2 ${className ?? ""}`}>
      <Menu>
        <MenuButton
          aria-label={`Save or copy: ${label}`}
          title="Save or copy"
          className="rounded-chart p-1 text-soft hover:text-harbour"
        >
          <svg
            width="14"
            height="14"
            viewBox="0 0 14 14"
            aria-hidden
            fill="none"
            stroke="currentColor"
            strokeWidth="1.4"
          >
            <path d="M7 1v8M3.8 6 7 9.2 10.2 6M1.5 10.5v2.3h11v-2.3" />
          </svg>
        </MenuButton>
        <MenuItems anchor="top start" className="panel z-40 min-w-40 py-1 text-[13px] shadow-lg outline-none">
          {acts.map((a) => (
            <MenuItem key={a.says}>
              <button
                type="button"
                className="block w-full px-3 py-1 text-left data-focus:bg-shoal"
                onClick={() => act(a.does)}
              >
                {a.says}
              </button>
            </MenuItem>
          ))}
        </MenuItems>
      </Menu>
      {says && (
        <span
          role={says.wrong ? "alert" : "status"}
          className={`bg-sheet/95 px-1 text-[12px] ${says.wrong ? "text-reef" : "text-soft"}`}
        >
          {says.text}
        </span>
      )}
    </span>
  );
}

const BUSY = "Drawing …";
