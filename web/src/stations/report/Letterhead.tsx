/** What all reports of the house have: lines and a logo over them, units. */
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, bytesOf, told } from "../../api/client";
import { Button } from "../../ui/Button";
import { FileInput } from "../../ui/FileInput";
import { Wrong } from "../../ui/Panel";
import { ChosenWord } from "../../ui/Word";

/** Quantities whose unit is a matter of the house. */
const shown = [
  { says: "accelerations", units: ["m/s²", "g", "mm/s²"] },
  { says: "velocities", units: ["mm/s", "m/s"] },
  { says: "displacements", units: ["µm", "mm", "m"] },
  { says: "forces", units: ["N", "kN"] },
  { says: "pressures", units: ["Pa", "kPa", "bar"] },
];

export function Letterhead({ onClose }: { onClose: () => void }) {
  const client = useQueryClient();
  const house = useQuery({ queryKey: ["letterhead"], queryFn: () => told(api.GET("/api/letterhead")) });
  const [text, setText] = useState<string>();
  const [error, setError] = useState<Error>();
  const file = useRef<HTMLInputElement>(null);
  const lines = house.data?.lines;
  const [units, setUnits] = useState<string[]>();
  useEffect(() => {
    // What is being typed stays, whatever else changes.
    if (lines) setText((now) => now ?? lines.join("\n"));
    const known = house.data?.units;
    if (known) setUnits((now) => now ?? known);
  }, [lines, house.data]);
  const done = async (what: () => Promise<unknown>) => {
    setError(undefined);
    try {
      await what();
      await Promise.all(["letterhead", "pages"].map((of) => client.invalidateQueries({ queryKey: [of] })));
      return true;
    } catch (e) {
      setError(e as Error);
      return false;
    }
  };
  const write = () =>
    done(() => told(api.PUT("/api/letterhead", { body: { lines: (text ?? "").split("\n"), units } })));
  return (
    <Dialog open onClose={onClose} className="relative z-20">
      <div className="fixed inset-0 grid place-items-center bg-ink/30">
        <DialogPanel className="panel flex w-[560px] flex-col gap-3 p-4">
          <DialogTitle className="font-semibold">Letterhead</DialogTitle>
          <p className="text-[13px] text-soft">It stands over every report of this house, of all campaigns.</p>
          <Wrong error={error ?? house.error} />
          <label className="block">
            Name and address, up to six lines
            <textarea
              aria-label="Lines of the letterhead"
              rows={4}
              className="mt-1 block w-full rounded-chart border border-rule bg-sheet p-2"
              value={text ?? ""}
              onChange={(e) => setText(e.target.value)}
            />
          </label>
          <p className="flex min-h-16 items-center gap-4">
            {house.data?.logo ? (
              <img alt="Logo" src={house.data.logo} className="max-h-16 max-w-48 border border-rule bg-white p-1" />
            ) : (
              <span className="text-soft">There is no logo yet.</span>
            )}
            <Button look="link" onClick={() => file.current?.click()}>
              {house.data?.logo ? "Replace the logo …" : "Choose a logo …"}
            </Button>
            {house.data?.logo && (
              <Button look="link" onClick={() => void done(() => told(api.DELETE("/api/letterhead/logo")))}>
                Remove the logo
              </Button>
            )}
            <FileInput
              input={file}
              label="File of the logo"
              accept="image/svg+xml,image/png,.svg,.png"
              onFile={(chosen) => done(() => told(api.PUT("/api/letterhead/logo", bytesOf(chosen))))}
            />
          </p>
          <p className="leading-7">
            Figures and tables show{" "}
            {shown.map((q, i) => (
              <span key={q.says}>
                {i > 0 && (i === shown.length - 1 ? " and " : ", ")}
                {q.says} in{" "}
                <ChosenWord
                  label={`Unit of ${q.says}`}
                  value={units?.find((u) => q.units.includes(u)) ?? ""}
                  options={[
                    { value: "", says: "the channel's own unit", face: "their own unit" },
                    ...q.units.map((value) => ({ value, says: value })),
                  ]}
                  onSet={(unit) =>
                    setUnits([...(units ?? []).filter((u) => !q.units.includes(u)), ...(unit ? [unit] : [])])
                  }
                />
              </span>
            ))}
            , where a block names none. A limit stays in the unit it was typed for.
          </p>
          <p className="flex justify-end gap-3">
            <Button look="main" onClick={() => void write().then((ok) => ok && onClose())}>
              Save the letterhead
            </Button>
            <Button onClick={onClose}>Close</Button>
          </p>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
