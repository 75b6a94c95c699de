/** The report in forms beside the PDF: a page for a browser, a text document, a workbook, a folder of its figures. */
import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/react";
import { reportForms } from "../../jobs/fileForms";
import { LIST } from "../../ui/FindWord";

export function Forms({ campaign, title }: { campaign: number; title: string }) {
  return (
    <Menu>
      <MenuButton className="inline-flex h-8 items-center gap-2 rounded-chart border border-ink bg-sheet px-3 font-semibold whitespace-nowrap hover:bg-shoal">
        Save as
      </MenuButton>
      <MenuItems anchor="bottom end" className={LIST}>
        {reportForms.slice(1).map((f) => (
          <MenuItem key={f.value}>
            <a
              className="block px-3 py-0.5 data-focus:bg-shoal"
              href={`/api/campaigns/${campaign}/report-as/${f.value}`}
              download={`${title}.${f.value === "figures" ? "zip" : f.value}`}
            >
              {f.says}
            </a>
          </MenuItem>
        ))}
      </MenuItems>
    </Menu>
  );
}
