/** Photographs and drawings of the specimen, and what else is to be said of it. */
import { useRef, useState } from "react";
import { api, bytesOf, type Schema, told } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { bytes } from "../../../ui/format";
import { Panel, Wrong } from "../../../ui/Panel";

type File_ = Schema["SpecimenFileBody"];

type Props = {
  campaign: number | undefined;
  files: File_[];
  remarks: string;
  onRemarks: (to: string) => Promise<unknown>;
};

export function Pictures({ campaign, files, remarks, onRemarks }: Props) {
  const chooser = useRef<HTMLInputElement>(null);
  const [error, setError] = useState<Error>();
  const [busy, setBusy] = useState("");
  const [text, setText] = useState<string>();
  const pictures = files.filter((f) => f.kind === "picture");
  const add = async (chosen: File[]) => {
    setError(undefined);
    for (const file of chosen) {
      setBusy(file.name);
      try {
        const params = { path: { id: campaign ?? 0 }, query: { name: file.name } };
        await told(api.POST("/api/campaigns/{id}/specimen/pictures", { params, ...bytesOf(file) }));
      } catch (e) {
        setError(e as Error);
      }
    }
    setBusy("");
  };
  const remove = (f: File_) =>
    told(api.DELETE("/api/specimen-files/{id}", { params: { path: { id: f.id } } })).catch(setError);
  const keep = async () => {
    if (text === undefined || text === remarks) return setText(undefined);
    try {
      await onRemarks(text);
      setText(undefined);
    } catch (e) {
      setError(e as Error);
    }
  };
  return (
    <Panel
      title="Pictures and remarks"
      className="min-h-0 flex-1"
      aside={
        <>
          {busy && <span className="text-[13px] text-soft">sending {busy} …</span>}
          <Button look="link" onClick={() => chooser.current?.click()}>
            Add pictures …
          </Button>
          <input
            ref={chooser}
            type="file"
            multiple
            accept=".png,.jpg,.jpeg"
            aria-label="Pictures to add"
            className="sr-only"
            onChange={(e) => {
              const chosen = [...(e.target.files ?? [])];
              e.target.value = "";
              add(chosen);
            }}
          />
        </>
      }
    >
      <Wrong error={error} />
      {/* biome-ignore lint/a11y/noStaticElementInteractions: the button above is the keyboard's way here */}
      <div
        className="flex min-h-0 flex-1 gap-3 overflow-auto px-3 pb-2"
        onDragOver={(e) => e.preventDefault()}
        onDrop={(e) => {
          e.preventDefault();
          add([...e.dataTransfer.files]);
        }}
      >
        {pictures.map((f) => (
          <figure key={f.id} className="flex w-32 shrink-0 flex-col text-[12px] leading-4">
            <a href={`/api/specimen-files/${f.id}`} target="_blank" rel="noreferrer">
              <img
                src={`/api/specimen-files/${f.id}`}
                alt={f.name}
                className="h-20 w-32 border border-rule object-cover"
              />
            </a>
            <figcaption className="flex gap-1">
              <span className="min-w-0 flex-1 truncate" title={`${f.name}, ${bytes(f.bytes)}, ${f.who}`}>
                {f.name}
              </span>
              <button
                type="button"
                aria-label={`Remove ${f.name}`}
                className="hover:text-harbour"
                onClick={() => remove(f)}
              >
                ✕
              </button>
            </figcaption>
          </figure>
        ))}
        <label className="flex min-w-48 flex-1 flex-col text-[12px] text-soft">
          Remarks: material, how it is held, what was changed
          <textarea
            aria-label="Remarks on the specimen"
            className="panel min-h-16 flex-1 resize-none p-2 text-[14px] leading-5 text-ink"
            value={text ?? remarks}
            onChange={(e) => setText(e.target.value)}
            onBlur={keep}
            onKeyDown={(e) => {
              if (e.key === "Escape") setText(undefined);
            }}
          />
        </label>
      </div>
    </Panel>
  );
}
