/** A word chosen from a long list: what is typed into it finds the entries that hold all of its words. */
import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions } from "@headlessui/react";
import { useState } from "react";

/** How the list of a word looks. */
export const LIST = "panel z-30 overflow-auto [--anchor-max-height:18rem] py-1 text-[13px] shadow-lg outline-none";

/** Above so many entries a list is searched instead of looked through. */
export const MANY = 24;

export type Choice<T> = { value: T; says: string; face?: string };

type Props<T> = { label: string; face: string; options: Choice<T>[]; width?: string | undefined } & (
  | { many: true; value: T[]; onSet: (value: T[]) => void }
  | { many?: false; value: T; onSet: (value: T) => void }
);

/** Entries that hold every word that is typed, wherever; those that hold them as they stand come first. */
export function found<T>(options: Choice<T>[], text: string): Choice<T>[] {
  const typed = text.toLowerCase().trim();
  const words = typed.split(/\s+/);
  const all = options.filter((o) => words.every((w) => o.says.toLowerCase().includes(w)));
  const rank = (o: Choice<T>) => (o.says.toLowerCase().includes(typed) ? 0 : 1);
  return all.sort((a, b) => rank(a) - rank(b));
}

export function FindWord<T extends string | number>(p: Props<T>) {
  const [text, setText] = useState("");
  const shown = found(p.options, text);
  const chosen = (value: T) => (p.many ? p.value.includes(value) : p.value === value);
  const inside = (
    <>
      <ComboboxInput
        aria-label={p.label}
        className={`word ${p.width ?? ""}`}
        style={p.width ? undefined : { width: `${Math.min(Math.max(p.face.length, 4), 32) + 0.6}ch` }}
        displayValue={() => p.face}
        onChange={(e) => setText(e.target.value)}
        onFocus={(e) => e.target.select()}
      />
      <ComboboxOptions anchor="bottom start" className={LIST}>
        {shown.map((o) => (
          <ComboboxOption
            key={o.value}
            value={o.value}
            className="num flex cursor-pointer gap-2 px-3 py-0.5 data-focus:bg-shoal data-selected:font-bold"
          >
            {o.says}
            {p.many && chosen(o.value) && <span className="ml-auto pl-3">✓</span>}
          </ComboboxOption>
        ))}
        {shown.length === 0 && <p className="px-3 py-0.5 text-soft">Nothing here has “{text}” in its name.</p>}
      </ComboboxOptions>
    </>
  );
  const forget = () => setText("");
  return p.many ? (
    <Combobox multiple immediate value={p.value} onChange={p.onSet} onClose={forget}>
      {inside}
    </Combobox>
  ) : (
    <Combobox immediate value={p.value} onChange={(v: T | null) => v !== null && p.onSet(v)} onClose={forget}>
      {inside}
    </Combobox>
  );
}
