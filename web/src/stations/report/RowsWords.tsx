/** Which rows a table of a result has, at which places their values are, between which speeds resonances are read. */
import { Button } from "../../ui/Button";
import { ListWord, RangeWord } from "../../ui/EntryWord";
import { ChosenWord } from "../../ui/Word";
import type { Show } from "./blocks";

type Table = Extract<Show, { what: "table" }>;
type Props = { show: Table; onSet: (part: object) => Promise<unknown> };

/** Places and speeds that a table begins with. */
const FIRST = [100];
const SPEEDS: [number, number] = [500, 1500];

const rows = [
  { value: "numbers", says: "single numbers of each channel" },
  { value: "peaks", says: "the highest peaks" },
  { value: "values", says: "values of each curve at places along its axis", face: "values of each curve" },
  { value: "classes", says: "what was counted in each class: time at level, crossings, cycles", face: "classes" },
  { value: "resonances", says: "resonances that order cuts pass", face: "resonances" },
] satisfies { value: NonNullable<Table["of"]>; says: string; face?: string }[];

export function RowsWords({ show, onSet }: Props) {
  const at = show.at ?? [];
  const ranges = (show.ranges ?? []) as [number, number][];
  return (
    <p>
      Its rows are{" "}
      <ChosenWord
        label="Rows of the table"
        value={show.of ?? "numbers"}
        options={rows}
        onSet={(of) =>
          void onSet({
            of,
            at: of === "values" ? (at.length > 0 ? at : FIRST) : [],
            ranges: of === "resonances" ? (ranges.length > 0 ? ranges : [SPEEDS]) : [],
          })
        }
      />
      {show.of === "values" && (
        <>
          {" at "}
          <ListWord label="Places along the axis" value={at.length > 0 ? at : FIRST} onSet={(at) => onSet({ at })} />,
          in the unit of the axis
        </>
      )}
      {show.of === "resonances" &&
        ranges.map((range, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: a range is its place in the list
          <span key={i}>
            {i === 0 ? " between " : " and "}
            <RangeWord
              label={`Speeds ${i + 1}`}
              value={range}
              unit="rpm"
              low={0}
              onSet={(to) => onSet({ ranges: ranges.map((r, k) => (k === i ? to : r)) })}
            />
            {ranges.length > 1 && (
              <Button
                look="link"
                aria-label={`Remove speeds ${i + 1}`}
                onClick={() => void onSet({ ranges: ranges.filter((_, k) => k !== i) })}
              >
                ×
              </Button>
            )}
          </span>
        ))}
      {show.of === "resonances" && (
        <>
          {" "}
          <Button look="link" onClick={() => void onSet({ ranges: [...ranges, ranges.at(-1) ?? SPEEDS] })}>
            Add a range
          </Button>
        </>
      )}
      .
    </p>
  );
}
