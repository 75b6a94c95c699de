/** The geometry from a file and into one; the surface that points are put onto. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useRef, useState } from "react";
import { api, bytesOf, type Schema, told } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { FileInput } from "../../../ui/FileInput";
import { type Geometry, rowsOf } from "./tables";
import type { SpecimenEditing } from "./useSpecimen";

type Found = Schema["GeometryFound"];

type Props = {
  campaign: number | undefined;
  geometry: Geometry;
  surface: Schema["SpecimenFileBody"] | undefined;
  editing: SpecimenEditing;
  onError: (e: Error | undefined) => void;
};

const units = [
  { to_m: 0.001, says: "mm" },
  { to_m: 1, says: "m" },
  { to_m: 0.0254, says: "in" },
];

export function GeometryFiles({ campaign, geometry, surface, editing, onError }: Props) {
  const geometryFile = useRef<HTMLInputElement>(null);
  const surfaceFile = useRef<HTMLInputElement>(null);
  const [unit, setUnit] = useState(0.001);
  const [found, setFound] = useState<{ name: string; is: Found }>();
  const [busy, setBusy] = useState("");
  const doing = async (what: string, does: () => Promise<unknown>) => {
    onError(undefined);
    setBusy(what);
    try {
      await does();
    } catch (e) {
      onError(e as Error);
    }
    setBusy("");
  };
  const look = (file: File) =>
    doing(`reading ${file.name} …`, async () => {
      const params = { path: { id: campaign ?? 0 }, query: { name: file.name } };
      const is = await told(api.POST("/api/campaigns/{id}/specimen/look", { params, ...bytesOf(file) }));
      const empty = rowsOf(geometry, "points") === 0;
      if (empty && (is.notes ?? []).length === 0) await editing.change({ change: "add", geometry: is.geometry });
      else setFound({ name: file.name, is });
    });
  const take = (replace: boolean) =>
    doing("", async () => {
      if (!found) return;
      if (replace) await editing.write({ geometry: found.is.geometry });
      else await editing.change({ change: "add", geometry: found.is.geometry });
      setFound(undefined);
    });
  const setSurface = (file: File) =>
    doing(`reading ${file.name} …`, () => {
      const params = { path: { id: campaign ?? 0 }, query: { name: file.name, to_m: unit } };
      return told(api.POST("/api/campaigns/{id}/specimen/surface", { params, ...bytesOf(file) }));
    });
  const dropSurface = () =>
    doing("", async () => {
      if (surface) await told(api.DELETE("/api/specimen-files/{id}", { params: { path: { id: surface.id } } }));
    });
  const there = rowsOf(geometry, "points");
  return (
    <>
      <FileInput input={geometryFile} label="Geometry to read" accept=".uff,.unv,.csv,.txt,.tsv" onFile={look} />
      <FileInput input={surfaceFile} label="Surface to read" accept=".stl,.obj" onFile={setSurface} />
      {busy && <span className="text-soft">{busy}</span>}
      {found && (
        <div
          role="dialog"
          aria-label={`Geometry of ${found.name}`}
          className="panel absolute top-24 left-1/4 z-40 flex w-120 flex-col gap-2 p-4 text-[14px] shadow-lg"
        >
          <b>{found.name}</b>
          <span>
            {rowsOf(found.is.geometry, "points")} points, {rowsOf(found.is.geometry, "lines")} lines,{" "}
            {rowsOf(found.is.geometry, "faces")} faces.
          </span>
          {(found.is.notes ?? []).map((n) => (
            <span key={n} className="text-lamp">
              ▲ {n}
            </span>
          ))}
          <span className="flex items-center gap-4">
            {there > 0 && (
              <Button look="main" onClick={() => take(true)}>
                Replace the {there} points there are
              </Button>
            )}
            <Button look={there > 0 ? "plain" : "main"} onClick={() => take(false)}>
              Add
            </Button>
            <Button look="link" onClick={() => setFound(undefined)}>
              Leave it
            </Button>
          </span>
        </div>
      )}
      <Popover className="relative">
        <PopoverButton className="font-semibold text-harbour hover:underline">Files</PopoverButton>
        <PopoverPanel anchor="bottom end" className="panel z-30 flex w-72 flex-col gap-1 p-3 text-[13px] shadow-lg">
          <span className="font-semibold">Geometry</span>
          <button
            type="button"
            className="text-left text-harbour hover:underline"
            onClick={() => geometryFile.current?.click()}
          >
            Read a universal file or CSV …
          </button>
          <a className="text-harbour hover:underline" href={`/api/campaigns/${campaign}/geometry.uff`} download>
            Save as universal file
          </a>
          <a className="text-harbour hover:underline" href={`/api/campaigns/${campaign}/geometry.csv`} download>
            Save as CSV
          </a>
          <span className="mt-1 border-t border-rule pt-1 font-semibold">Surface to put points onto</span>
          {surface && (
            <span className="flex gap-2">
              <span className="min-w-0 flex-1 truncate">{surface.name}</span>
              <button type="button" className="text-harbour hover:underline" onClick={dropSurface}>
                Remove
              </button>
            </span>
          )}
          <label>
            Its lengths are in{" "}
            <select
              aria-label="Unit of the surface"
              className="word"
              value={unit}
              onChange={(e) => setUnit(Number(e.target.value))}
            >
              {units.map((u) => (
                <option key={u.says} value={u.to_m}>
                  {u.says}
                </option>
              ))}
            </select>
          </label>
          <button
            type="button"
            className="text-left text-harbour hover:underline"
            onClick={() => surfaceFile.current?.click()}
          >
            Read STL or OBJ …
          </button>
        </PopoverPanel>
      </Popover>
    </>
  );
}
