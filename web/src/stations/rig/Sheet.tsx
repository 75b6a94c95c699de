/** Table menu: columns, files in and out. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useRef } from "react";
import { api, bytesOf, type EditAnswer, told } from "../../api/client";
import { FileInput } from "../../ui/FileInput";
import { columns } from "./columns";
import type { Editing } from "./editing";
import type { View } from "./view";

type Props = {
  campaign: number | undefined;
  view: View;
  onView: (part: Partial<View>) => void;
  editing: Editing;
  version: number;
  onError: (e: Error | undefined) => void;
};

export function Sheet({ campaign, view, onView, editing, version, onError }: Props) {
  const file = useRef<HTMLInputElement>(null);
  const read = async (chosen: File) => {
    onError(undefined);
    try {
      const answer: EditAnswer = await told(
        api.POST("/api/campaigns/{id}/rig/file", {
          params: { path: { id: campaign ?? 0 } },
          ...bytesOf(chosen),
        }),
      );
      editing.setReview({ answer, what: `read ${chosen.name}`, madeOn: version });
    } catch (e) {
      onError(e as Error);
    }
  };
  return (
    <Popover className="relative">
      <PopoverButton className="inline-flex h-8 items-center rounded-chart border border-ink bg-sheet px-3 font-semibold hover:bg-shoal">
        Table
      </PopoverButton>
      <PopoverPanel anchor="bottom end" className="panel z-30 flex w-60 flex-col gap-1 p-3 text-[13px] shadow-lg">
        <span className="font-semibold">Columns</span>
        <div className="grid grid-cols-2">
          {columns.map((c) => (
            <label key={c.key} className="flex items-center gap-1">
              <input
                type="checkbox"
                checked={!view.hidden.includes(c.key)}
                onChange={(e) =>
                  onView({
                    hidden: e.target.checked ? view.hidden.filter((h) => h !== c.key) : [...view.hidden, c.key],
                  })
                }
              />
              {c.head}
            </label>
          ))}
        </div>
        <label className="flex items-center gap-1 border-t border-rule pt-1">
          <input type="checkbox" checked={view.onlyOn} onChange={(e) => onView({ onlyOn: e.target.checked })} />
          Only rows that are on
        </label>
        <span className="mt-1 border-t border-rule pt-1 font-semibold">As a spreadsheet</span>
        <a className="text-harbour hover:underline" href={`/api/campaigns/${campaign}/rig.xlsx`} download>
          Save as XLSX
        </a>
        <a className="text-harbour hover:underline" href={`/api/campaigns/${campaign}/rig.csv`} download>
          Save as CSV
        </a>
        <button type="button" className="text-left text-harbour hover:underline" onClick={() => file.current?.click()}>
          Read from XLSX or CSV …
        </button>
        <FileInput input={file} label="Table to read" accept=".xlsx,.csv,.tsv,.txt" onFile={read} />
      </PopoverPanel>
    </Popover>
  );
}
