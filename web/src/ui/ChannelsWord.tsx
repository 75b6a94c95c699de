/** Channels chosen from a list, as a word of a sentence; the order of choosing is the order kept. */
import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from "@headlessui/react";
import { Fragment } from "react";
import type { Channel } from "../api/client";
import { FindWord, LIST, MANY } from "./FindWord";
import { NamedButton } from "./NamedButton";
import { openByEnter } from "./Word";

type Props = {
  label: string;
  /** What the sentence says. */
  face: string;
  inputs: number[];
  channels: Channel[];
  onSet: (inputs: number[]) => void;
  /** How wide the word may grow. */
  width: string;
};

export function ChannelsWord({ label, face, inputs, channels, onSet, width }: Props) {
  if (channels.length > MANY) {
    const options = channels.map((c) => ({ value: c.input, says: `${c.label} ${c.name}` }));
    return <FindWord many label={label} face={face} value={inputs} options={options} onSet={onSet} width={width} />;
  }
  return (
    <Listbox value={inputs} onChange={onSet} multiple>
      <ListboxButton as={Fragment}>
        <NamedButton label={label} className={`word truncate align-bottom ${width}`} onKeyDown={openByEnter}>
          {face}
        </NamedButton>
      </ListboxButton>
      <ListboxOptions anchor="bottom start" className={LIST}>
        {channels.map((c) => (
          <ListboxOption
            key={c.input}
            value={c.input}
            className="flex cursor-pointer gap-2 px-3 py-0.5 data-focus:bg-shoal data-selected:font-bold"
          >
            <span className="num w-8 text-soft">{c.label}</span> {c.name}
            {inputs.includes(c.input) && <span className="ml-auto pl-3">✓</span>}
          </ListboxOption>
        ))}
      </ListboxOptions>
    </Listbox>
  );
}
