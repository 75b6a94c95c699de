/** A button that is named by what it sets and by what it is set to, as a word of a sentence is. */
import { type ComponentProps, useId } from "react";

export function NamedButton({ label, children, ...rest }: ComponentProps<"button"> & { label: string }) {
  const id = useId();
  return (
    <button type="button" {...rest} aria-label={label} aria-labelledby={`${id}-is ${id}-set`}>
      <span id={`${id}-is`} hidden>
        {label}
      </span>
      <span id={`${id}-set`}>{children}</span>
    </button>
  );
}
