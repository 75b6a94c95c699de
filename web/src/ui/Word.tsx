/** Words of a sentence that can be changed: a number with its unit, a choice, a line of text. */
import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from "@headlessui/react";
import { Fragment, type KeyboardEvent, useEffect, useId, useRef, useState } from "react";
import { dropDraft, keepDraft, takeDraft } from "./draft";
import { type Choice, FindWord, LIST, MANY } from "./FindWord";
import { NamedButton } from "./NamedButton";
import { Refusal } from "./Refusal";

type TextProps = {
  label: string;
  value: string;
  /** Takes what was typed; a rejected promise keeps it on the screen with the reason. */
  onSet: (text: string) => Promise<unknown> | undefined;
  width?: string | undefined;
  plain?: boolean;
  right?: boolean | undefined;
  /** Shows that it can be changed only when it is pointed at, as in tables. */
  quiet?: boolean;
};

/** A word that is typed; what was refused stays until it is put right or Esc is pressed. */
export function TypedWord({ label, value, onSet, width, plain, right, quiet }: TextProps) {
  // What was being typed when the page was left is still there, and still to be set.
  const [draft] = useState(() => takeDraft(label, value));
  const [text, setText] = useState(draft ?? value);
  const [editing, setEditing] = useState(false);
  const [wrong, setWrong] = useState(draft === undefined ? "" : NOT_SET);
  const id = useId();
  const input = useRef<HTMLInputElement>(null);
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
    if (!refused) dropDraft(label, value);
    setWrong(refused);
    setEditing(false);
  };
  return (
    <span className="relative inline-block">
      <input
        ref={input}
        aria-label={label}
        aria-invalid={wrong !== ""}
        data-editing={editing || undefined}
        aria-describedby={wrong ? id : undefined}
        className={`word ${wrong ? "wrong" : ""} ${plain ? "font-sans! font-normal!" : ""} ${right || quiet ? "quiet" : ""} ${right ? "text-right" : ""}`}
        style={{ width: width ?? `${Math.min(Math.max(text.length, 1), 48) + 0.6}ch` }}
        value={text}
        onFocus={(e) => {
          setEditing(true);
          e.target.select();
        }}
        onChange={(e) => {
          setText(e.target.value);
          keepDraft(label, value, e.target.value);
        }}
        onBlur={set}
        onKeyDown={(e) => {
          if (e.key === "Enter") e.currentTarget.blur();
          if (e.key === "Escape") {
            setText(value);
            setWrong("");
            dropDraft(label, value);
            e.stopPropagation();
            e.preventDefault();
          }
        }}
      />
      {wrong && <Refusal id={id} says={wrong} at={input} />}
    </span>
  );
}

const NOT_SET = "this was typed and not set yet: Enter sets it, Esc gives it up";

/** Enter opens a list as Space and the arrows do. */
export function openByEnter(e: KeyboardEvent<HTMLElement>) {
  if (e.key !== "Enter") return;
  e.preventDefault();
  e.currentTarget.dispatchEvent(new globalThis.KeyboardEvent("keydown", { key: "ArrowDown", bubbles: true }));
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
  options: Choice<T>[];
  onSet: (value: T) => void;
}) {
  const chosen = options.find((o) => o.value === value);
  const face = chosen?.face ?? chosen?.says ?? empty ?? String(value);
  if (options.length > MANY)
    return <FindWord label={label} face={face} value={value} options={options} onSet={onSet} />;
  return (
    <Listbox value={value} onChange={onSet}>
      <ListboxButton as={Fragment}>
        <NamedButton label={label} className="word whitespace-nowrap" onKeyDown={openByEnter}>
          {face}
        </NamedButton>
      </ListboxButton>
      <ListboxOptions anchor="bottom start" className={LIST}>
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
