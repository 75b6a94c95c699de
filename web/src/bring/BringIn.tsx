/** Bringing files in: sent, looked at, put right where they were guessed wrong, and made runs. */
import { useState } from "react";
import { Button } from "../ui/Button";
import { Panel } from "../ui/Panel";
import { FileCard } from "./FileCard";

type Listed = { key: number; file: File };
let next = 1;

export function BringIn({ campaign, onClose }: { campaign: number; onClose: () => void }) {
  const [files, setFiles] = useState<Listed[]>([]);
  const [over, setOver] = useState(false);
  const add = (list: FileList | null) =>
    setFiles((now) => [...now, ...[...(list ?? [])].map((file) => ({ key: next++, file }))]);
  return (
    <Panel
      title="Bring in recordings"
      says="WAV, CSV, Parquet, universal files (58), XLSX: each becomes a run; responses and shapes (58, 55) become results"
      aside={
        <Button look="link" onClick={onClose}>
          Close
        </Button>
      }
      className="max-h-[60%] shrink-0"
    >
      <div className="flex min-h-0 flex-col gap-2 overflow-auto px-3 pb-3">
        <label
          className={`flex h-12 shrink-0 cursor-pointer items-center gap-2 border border-dashed px-3 ${over ? "border-harbour bg-shoal" : "border-soft"}`}
          onDragOver={(e) => {
            e.preventDefault();
            setOver(true);
          }}
          onDragLeave={() => setOver(false)}
          onDrop={(e) => {
            e.preventDefault();
            setOver(false);
            add(e.dataTransfer.files);
          }}
        >
          <input
            type="file"
            multiple
            aria-label="Files to bring in"
            accept=".wav,.csv,.txt,.tsv,.uff,.unv,.xlsx,.parquet"
            className="w-60"
            onChange={(e) => {
              add(e.target.files);
              e.target.value = "";
            }}
          />
          or drop them here
        </label>
        {files.map((f) => (
          <FileCard
            key={f.key}
            campaign={campaign}
            file={f.file}
            onGone={() => setFiles((now) => now.filter((x) => x.key !== f.key))}
          />
        ))}
      </div>
    </Panel>
  );
}
