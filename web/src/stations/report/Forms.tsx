/** The report in forms beside the PDF: a page for a browser, a workbook, a folder of its figures. */
import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/react";
import { LIST } from "../../ui/FindWord";

const forms = [
  { form: "html", ending: "html", says: "one HTML file" },
  { form: "xlsx", ending: "xlsx", says: "workbook of its tables and curves (XLSX)" },
  { form: "figures", ending: "zip", says: "its figures as SVG, PNG and CSV (ZIP)" },
];

export function Forms({ campaign, title }: { campaign: number; title: string }) {
  return (
    <Menu>
      <MenuButton className="inline-flex h-8 items-center gap-2 rounded-chart border border-ink bg-sheet px-3 font-semibold whitespace-nowrap hover:bg-shoal">
        Save as
      </MenuButton>
      <MenuItems anchor="bottom end" className={LIST}>
        {forms.map((f) => (
          <MenuItem key={f.form}>
            <a
              className="block px-3 py-0.5 data-focus:bg-shoal"
              href={`/api/campaigns/${campaign}/report-as/${f.form}`}
              download={`${title}.${f.ending}`}
            >
              {f.says}
            </a>
          </MenuItem>
        ))}
      </MenuItems>
    </Menu>
  );
}
