/** Templates: reports that others begin with. Chosen, kept, brought in and saved as files. */
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, type ReportBody, type Schema, told } from "../../api/client";
import { useReportTemplates } from "../../api/queries";
import { Button } from "../../ui/Button";
import { FileInput } from "../../ui/FileInput";
import { moment } from "../../ui/format";
import { Wrong } from "../../ui/Panel";
import { saveBlob } from "../../ui/save";

type Template = Schema["TemplateBody"];

type Props = {
  report: ReportBody;
  /** Gives the report the blocks of a template. */
  onUse: (name: string) => Promise<unknown>;
  onClose: () => void;
};

/** A template's file: its blocks, as the API has them. */
export const asFile = (t: Pick<Template, "body">) => `${JSON.stringify(t.body, null, 2)}\n`;

/** A template from a file; what is no JSON is told as such. */
export function fromFile(text: string): ReportBody {
  try {
    return JSON.parse(text);
  } catch {
    throw new Error(
      "This is no file of a template; allowed: one that was saved here, or a report as the API gives it.",
    );
  }
}

export function Templates({ report, onUse, onClose }: Props) {
  const client = useQueryClient();
  const [name, setName] = useState("");
  const [error, setError] = useState<Error>();
  const file = useRef<HTMLInputElement>(null);
  const templates = useReportTemplates();
  const done = async (what: () => Promise<unknown>) => {
    setError(undefined);
    try {
      await what();
      await client.invalidateQueries({ queryKey: ["report-templates"] });
    } catch (e) {
      setError(e as Error);
    }
  };
  const keepAs = (called: string, body: ReportBody) =>
    told(api.PUT("/api/report-templates", { body: { name: called, body } }));
  const all = templates.data ?? [];
  return (
    <Dialog open onClose={onClose} className="relative z-20">
      <div className="fixed inset-0 grid place-items-center bg-ink/30">
        <DialogPanel className="panel flex max-h-[84vh] w-[600px] flex-col gap-3 p-4">
          <DialogTitle className="font-semibold">Templates</DialogTitle>
          <Wrong error={error ?? templates.error} />
          <div className="min-h-0 overflow-auto">
            <table aria-label="Templates" className="w-full text-[13px]">
              <tbody>
                {all.map((t) => (
                  <tr key={t.name} className="border-t border-rule">
                    <td className="py-1">
                      <span className="font-semibold">{t.name}</span>
                      <span className="block text-soft">
                        {t.body.blocks.length} blocks,{" "}
                        {t.made_at ? `kept ${moment(t.made_at)} by ${t.who}` : "comes along"}
                      </span>
                    </td>
                    <td className="space-x-3 text-right whitespace-nowrap">
                      <Button
                        look="link"
                        aria-label={`Use ${t.name}`}
                        onClick={() => done(() => onUse(t.name).then(onClose))}
                      >
                        Use
                      </Button>
                      <Button
                        look="link"
                        aria-label={`Save ${t.name} as a file`}
                        onClick={() =>
                          saveBlob(new Blob([asFile(t)], { type: "application/json" }), `${t.name}.report.json`)
                        }
                      >
                        Save as file
                      </Button>
                      {t.id != null && (
                        <Button
                          look="link"
                          aria-label={`Delete ${t.name}`}
                          onClick={() =>
                            done(() =>
                              told(api.DELETE("/api/report-templates/{id}", { params: { path: { id: t.id ?? 0 } } })),
                            )
                          }
                        >
                          Delete
                        </Button>
                      )}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
          <form
            className="flex items-center gap-2 border-t border-rule pt-3"
            onSubmit={(e) => {
              e.preventDefault();
              done(() => keepAs(name, report).then(() => setName("")));
            }}
          >
            <label className="flex-1">
              Save this report as{" "}
              <input
                aria-label="Name of the template"
                className="word"
                value={name}
                placeholder="a name"
                onChange={(e) => setName(e.target.value)}
              />
            </label>
            <Button type="submit">Save</Button>
          </form>
          <p className="flex items-center gap-3 text-[13px]">
            <Button look="link" onClick={() => file.current?.click()}>
              Bring one in from a file …
            </Button>
            <FileInput
              input={file}
              label="File of a template"
              accept="application/json,.json"
              onFile={(chosen) =>
                done(async () => keepAs(chosen.name.replace(/(\.report)?\.json$/i, ""), fromFile(await chosen.text())))
              }
            />
          </p>
          <p className="flex justify-end">
            <Button onClick={onClose}>Close</Button>
          </p>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
