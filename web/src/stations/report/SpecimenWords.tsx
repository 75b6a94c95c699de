/** How the block with what was tested is shown. */
import { ChosenWord } from "../../ui/Word";
import type { Show } from "./blocks";

type Props = { show: Extract<Show, { what: "specimen" }>; onSet: (part: object) => unknown };

export function SpecimenWords({ show, onSet }: Props) {
  return (
    <p>
      It shows what is known of it,{" "}
      <ChosenWord
        label="Drawing of the specimen"
        value={show.drawn === false ? "without" : "with"}
        options={[
          { value: "with", says: "its lines" },
          { value: "without", says: "no drawing" },
        ]}
        onSet={(v) => onSet({ drawn: v === "with" })}
      />{" "}
      and{" "}
      <ChosenWord
        label="Pictures of the specimen"
        value={show.pictures === false ? "without" : "with"}
        options={[
          { value: "with", says: "its pictures" },
          { value: "without", says: "no pictures" },
        ]}
        onSet={(v) => onSet({ pictures: v === "with" })}
      />
      ,{" "}
      <ChosenWord
        label="Pictures beside each other"
        value={show.beside ?? 2}
        options={["one", "two", "three", "four"].map((n, i) => ({ value: i + 1, says: `${n} beside each other` }))}
        onSet={(beside) => onSet({ beside })}
      />
      . Pictures and lines are those of the rig's specimen.
    </p>
  );
}
