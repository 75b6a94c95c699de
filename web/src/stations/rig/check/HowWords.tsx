/** How a sensor is checked, as a sentence. */
import type { Channel } from "../../../api/client";
import { ListWord, NumberWord } from "../../../ui/EntryWord";
import { ChosenWord } from "../../../ui/Word";
import type { How, Kind } from "./usePairs";

const kinds: { value: Kind; says: string; face: string }[] = [
  { value: "typed", says: "a level I know, such as a hand-held calibrator's", face: "a known level" },
  { value: "table", says: "levels from a list, stepped by hand", face: "a list of levels" },
  { value: "channel", says: "another channel with a reference transducer", face: "another channel" },
  { value: "output", says: "another channel, stepped by our output", face: "our output's steps" },
];

type Props = {
  channels: Channel[];
  /** Channels that may carry the reference. */
  others: Channel[];
  input: number;
  /** Front ends that are there, for the one that drives. */
  units: string[];
  how: How;
  unit: string;
  onInput: (input: number) => void;
  onHow: (part: Partial<How>) => void;
};

export function HowWords({ channels, others, input, units, how, unit, onInput, onHow }: Props) {
  const says = (c: Channel) => ({ value: c.input, says: `${c.label}  ${c.name}` });
  const { kind } = how;
  return (
    <>
      Check <ChosenWord label="Channel to check" value={input} options={channels.map(says)} onSet={onInput} /> against{" "}
      <ChosenWord label="Reference" value={kind} options={kinds} onSet={(to) => onHow({ kind: to })} />
      {kind === "typed" && (
        <>
          {" "}
          of{" "}
          <NumberWord label="Known level" value={how.known} unit={unit} above={0} onSet={(known) => onHow({ known })} />{" "}
          rms
        </>
      )}
      {kind === "table" && (
        <>
          {": "}
          <ListWord label="Levels" value={how.levels} unit={unit} above={0} onSet={(levels) => onHow({ levels })} /> rms
        </>
      )}
      {(kind === "channel" || kind === "output") && (
        <>
          {", read from "}
          <ChosenWord
            label="Reference channel"
            value={how.reference ?? 0}
            options={others.map(says)}
            empty="no other channel of this quantity"
            onSet={(reference) => onHow({ reference })}
          />
        </>
      )}
      {kind === "output" && (
        <>
          {", driving "}
          {units.length > 1 && (
            <>
              <ChosenWord
                label="Front end that drives"
                value={how.unit}
                options={units.map((u, i) => ({ value: i, says: u }))}
                onSet={(to) => onHow({ unit: to })}
              />{" "}
              with{" "}
            </>
          )}
          <ListWord
            label="Output steps"
            value={how.volts}
            unit="V"
            above={0}
            high={10}
            onSet={(volts) => onHow({ volts })}
          />{" "}
          peak
        </>
      )}{" "}
      at <NumberWord label="Frequency" value={how.hz} unit="Hz" above={0} onSet={(hz) => onHow({ hz })} />; let it
      settle for{" "}
      <NumberWord
        label="Settling time"
        value={how.settle_s}
        unit="s"
        low={0}
        high={60}
        onSet={(settle_s) => onHow({ settle_s })}
      />{" "}
      and read for{" "}
      <NumberWord
        label="Reading time"
        value={how.read_s}
        unit="s"
        low={0.2}
        high={8}
        onSet={(read_s) => onHow({ read_s })}
      />
      .
    </>
  );
}
