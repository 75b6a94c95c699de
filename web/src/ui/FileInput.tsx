/** Chooses one file from the disk: out of sight, opened by whatever clicks it. The same file can be chosen again. */
import type { RefObject } from "react";

type Props = {
  input: RefObject<HTMLInputElement | null>;
  label: string;
  accept: string;
  onFile: (file: File) => unknown;
};

export function FileInput({ input, label, accept, onFile }: Props) {
  return (
    <input
      ref={input}
      type="file"
      aria-label={label}
      accept={accept}
      className="sr-only"
      onChange={(e) => {
        const file = e.target.files?.[0];
        e.target.value = "";
        if (file) onFile(file);
      }}
    />
  );
}
