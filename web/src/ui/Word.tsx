/** Words of a sentence that can be changed: a number with its unit, a choice, a line of text. */
import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from "@headlessui/react";
import { useEffect, useId, useState } from "react";

type TextProps = {
  label: string;
  value: string;
  /** Takes what was typed; a rejected promise keeps it on the screen with the reason. */
  onSet: (text: string) => Promise<unknown> | undefined;
  width?: string;
  plain?: boolean;
  right?: boolean;
};

/** A word that is typed; what was refused stays until it is put right or Esc is pressed. */
export function TypedWord({ label, value, onSet, width, plain, right }: TextProps) {
  const [text, setText] = useState(value);
  const [editing, setEditing] = useState(false);
  const [wrong, setWrong] = useState("");
  const id = useId();
  useEffect(() => {
    if (!editing && !wrong) setText(value);
  }, [value, editing, wrong]);
  const set = async () => {
    // Still being edited until the answer is there, so that a refusal finds what was typed.
    let refused = "";
    try {
      if (text !== value) await onSet(text);
    } catch (e) {
      refused = (e as Error).message;
    }
    setWrong(refused);
    setEditing(false);
  };
  return (
    <span className="relative inline-block">
      <input
        aria-label={label}
        aria-invalid={wrong !== ""}
        aria-describedby={wrong ? id : undefined}
        className={`word ${wrong ? "wrong" : ""} ${plain ? "font-sans! font-normal!" : ""} ${right ? "quiet text-right" : ""}`}
        style={{ width: width ?? `${Math.max(text.length, 1) + 0.6}ch` }}
        value={text}
        onFocus={(e) => {
          setEditing(true);
          e.target.select();
        }}
        onChange={(e) => setText(e.target.value)}
        onBlur={set}
        onKeyDown={(e) => {
          if (e.key === "Enter") e.currentTarget.blur();
          if (e.key === "Escape") {
            setText(value);
            setWrong("");
            e.stopPropagation();
          }
        }}
      />
      {wrong && (
        <span
          id={id}
          role="alert"
          className="panel absolute top-full left-0 z-20 mt-1 w-72 border-reef! px-2 py-1 text-[13px] leading-4 text-reef"
        >
          {wrong}
        </span>
      )}
    </span>
  );
}

/** A word chosen from a list by arrows, typing or pointer. */
export function ChosenWord<T extends string | number>({
  label,
  value,
  options,
  onSet,
  empty,
}: {
  label: string;
  value: T;
  /** What stands there while none of the options is chosen. */
  empty?: string;
  /** `face` is what the sentence says, where the list says more. */
  options: { value: T; says: string; face?: string }[];
  onSet: (value: T) => void;
}) {
  const chosen = options.find((o) => o.value === value);
  return (
    <Listbox value={value} onChange={onSet}>
      <ListboxButton aria-label={label} className="word whitespace-nowrap">
        {chosen?.face ?? chosen?.says ?? empty ?? String(value)}
      </ListboxButton>
      <ListboxOptions
        anchor="bottom start"
        className="panel z-30 max-h-72 overflow-auto py-1 text-[13px] shadow-lg outline-none"
      >
        {options.map((o) => (
          <ListboxOption
            key={o.value}
            value={o.value}
            className="num cursor-pointer px-3 py-0.5 data-focus:bg-shoal data-selected:font-bold"
          >
            {o.says}
          </ListboxOption>
        ))}
      </ListboxOptions>
    </Listbox>
  );
}
