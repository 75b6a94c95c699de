/** A report that was handed over held against what is here: its seal, and every number made again. */
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, bytesOf, type Schema, told } from "../../api/client";
import { Button } from "../../ui/Button";
import { ComputingLine } from "../../ui/Computing";
import { FileInput } from "../../ui/FileInput";
import { moment } from "../../ui/format";
import { Wrong } from "../../ui/Panel";
import { useWatched } from "../../ui/useWatched";

type Told = Schema["VerifiedReport"];

const seals: Record<Told["seal"], { says: string; good: boolean }> = {
  whole: { says: "The seal of this laboratory is whole: nothing was changed since.", good: true },
  others: {
    says: "The seal of another laboratory is whole; compare the key below with the one they gave you.",
    good: true,
  },
  broken: { says: "The file was changed since it was sealed.", good: false },
  missing: { says: "The file has no seal: nobody can tell whether it was changed.", good: false },
};

export const holds: Record<Schema["Holds"], string> = {
  same: "the same to the last bit",
  near: "the same but for the last digits",
  differs: "differs",
  not_made: "could not be made again",
};

/** How many of the results hold, in words. */
export function summary(told: Told): string {
  const good = told.results.filter((r) => (r.holds === "same" || r.holds === "near") && r.says.length === 0).length;
  const all = told.results.length;
  if (all === 0) return "The report shows no results.";
  return good === all ? `All ${all} results hold.` : `${all - good} of ${all} results do not hold.`;
}

export function CheckReport({ campaign, onClose }: { campaign: number; onClose: () => void }) {
  const client = useQueryClient();
  const [file, setFile] = useState<File>();
  const input = useRef<HTMLInputElement>(null);
  const key = ["verify", campaign, file?.name, file?.size, file?.lastModified];
  const checked = useWatched(key, file !== undefined, (signal, watch) =>
    told(
      api.POST("/api/report/verify", {
        params: { query: { otherwise: campaign, watch } },
        ...bytesOf(file as File),
        signal,
      }),
    ),
  );
  // What stands there of a file before is not of this one.
  const body = checked.isPlaceholderData ? undefined : checked.data;
  return (
    <Dialog open onClose={onClose} className="relative z-20">
      <div className="fixed inset-0 grid place-items-center bg-ink/30">
        <DialogPanel className="panel flex max-h-[84vh] w-[640px] flex-col gap-2 p-4">
          <DialogTitle className="font-semibold">Check a report</DialogTitle>
          <p>
            The PDF of a report, also one that was handed over long ago: its seal is read, and every number is made
            again from what is here.
          </p>
          <p className="flex items-center gap-3">
            <Button onClick={() => input.current?.click()}>Choose the PDF …</Button>
            <span className="truncate text-soft">{file?.name}</span>
            <FileInput
              input={input}
              label="PDF to check"
              accept="application/pdf,.pdf"
              onFile={(chosen) => {
                client.removeQueries({ queryKey: ["verify"] });
                setFile(chosen);
              }}
            />
          </p>
          <ComputingLine says="Making every number again" of={checked} />
          <Wrong error={checked.error} />
          {body && (
            <section aria-label="What became of it" className="flex min-h-0 flex-col gap-2">
              <p className={seals[body.seal].good ? "" : "text-lamp"}>
                {seals[body.seal].good ? "" : "▲ "}
                {seals[body.seal].says}
              </p>
              <p className="text-[13px] text-soft">
                {body.campaign}, made {moment(body.made_at)} by {body.by}
                {body.key && (
                  <>
                    ; key <span className="num break-all">{body.key}</span>
                  </>
                )}
              </p>
              <p className={`font-semibold ${body.holds ? "" : "text-lamp"}`}>{summary(body)}</p>
              <div className="min-h-0 overflow-auto">
                <table aria-label="Results of the report" className="w-full text-[13px]">
                  <tbody>
                    {body.results.map((r) => (
                      <tr key={r.block} className="border-t border-rule align-top">
                        <td className="pr-3">{r.title}</td>
                        <td className="pr-3 whitespace-nowrap">{r.run != null && `run ${r.run}`}</td>
                        <td className={r.holds === "same" || r.holds === "near" ? "" : "text-lamp"}>
                          {holds[r.holds]}
                          {r.says.map((s) => (
                            <p key={s} className="break-words text-lamp">
                              ▲ {s}
                            </p>
                          ))}
                        </td>
                      </tr>
                    ))}
                  </tbody>
                </table>
              </div>
            </section>
          )}
          <p className="flex justify-end pt-2">
            <Button onClick={onClose}>Close</Button>
          </p>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
