/** Which rows a table of a result has, and at which places their values are. */
import { ListWord } from "../../ui/EntryWord";
import { ChosenWord } from "../../ui/Word";
import type { Show } from "./blocks";

type Props = { show: Extract<Show, { what: "table" }>; onSet: (part: object) => Promise<unknown> };

/** Places that a table begins with. */
const FIRST = [100];

export function RowsWords({ show, onSet }: Props) {
  const at = show.at ?? [];
  return (
    <p>
      Its rows are{" "}
      <ChosenWord
        label="Rows of the table"
        value={show.of ?? "numbers"}
        options={[
          { value: "numbers", says: "single numbers of each channel" },
          { value: "peaks", says: "the highest peaks" },
          { value: "values", says: "values of each curve at places along its axis", face: "values of each curve" },
        ]}
        onSet={(of) => void onSet(of === "values" ? { of, at: at.length > 0 ? at : FIRST } : { of, at: [] })}
      />
      {show.of === "values" && (
        <>
          {" at "}
          <ListWord label="Places along the axis" value={at.length > 0 ? at : FIRST} onSet={(at) => onSet({ at })} />,
          in the unit of the axis
        </>
      )}
      .
    </p>
  );
}
