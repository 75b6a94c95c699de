/** A kept result as a file. */
import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/react";
import { useState } from "react";
import { api, type Schema, told } from "../../../api/client";
import { resultForms } from "../../../jobs/fileForms";
import { LIST } from "../../../ui/FindWord";
import { saveBlob } from "../../../ui/save";

export function KeptFile({ id, name }: { id: number; name: string }) {
  const [wrong, setWrong] = useState<string>();
  const save = async (form: Schema["ResultForm"], ending: string) => {
    setWrong(undefined);
    const params = { path: { id }, query: { form } };
    const file = await told(api.GET("/api/kept-results/{id}/file", { params, parseAs: "blob" }));
    saveBlob(file as unknown as Blob, `${name}.${ending}`);
  };
  return (
    <>
      {wrong && (
        <span role="alert" className="mr-2 whitespace-normal text-reef">
          ▲ {wrong}
        </span>
      )}
      <Menu>
        <MenuButton aria-label={`Save ${name}`} className="px-1 font-semibold text-harbour hover:underline">
          Save
        </MenuButton>
        <MenuItems anchor="bottom end" className={LIST}>
          {resultForms.map((f) => (
            <MenuItem key={f.value}>
              <button
                type="button"
                className="block w-full px-3 py-0.5 text-left data-focus:bg-shoal"
                onClick={() => save(f.value, f.ending).catch((e) => setWrong((e as Error).message))}
              >
                {f.says}
              </button>
            </MenuItem>
          ))}
        </MenuItems>
      </Menu>
    </>
  );
}
