/** What modes are looked for in, and by what, as a sentence. */
import type { FunctionSet } from "../../../api/taps";
import { NumberWord, RangeWord } from "../../../ui/EntryWord";
import { plain } from "../../../ui/format";
import { ChosenWord } from "../../../ui/Word";
import { type ModesRecipe, nameOf } from "./recipe";

type Props = {
  sets: FunctionSet[];
  set: FunctionSet;
  onChoose: (name: string) => void;
  recipe: ModesRecipe;
  onRecipe: (part: Partial<ModesRecipe>) => void;
};

const percent = (x: number) => `${plain(100 * x)} %`;

export function ModesWords({ sets, set, onChoose, recipe, onRecipe }: Props) {
  const share = (key: "frequency_change" | "damping_change", label: string) => (
    <NumberWord
      label={label}
      value={recipe[key]}
      above={0}
      high={1}
      show={percent}
      onSet={(x) => onRecipe({ [key]: x })}
    />
  );
  const references = recipe.references?.[0];
  return (
    <section aria-label="How modes are found" className="leading-7">
      From{" "}
      <ChosenWord
        label="Set of responses"
        value={nameOf(set)}
        options={sets.map((s) => ({ value: nameOf(s), says: s.says }))}
        onSet={onChoose}
      />{" "}
      take{" "}
      <span className="num">
        {set.count - set.taken_out} of {set.count}
      </span>{" "}
      responses against{" "}
      <ChosenWord
        label="References"
        value={references ?? ""}
        options={[
          { value: "", says: set.references.length > 1 ? "all references" : `the hammer at ${set.references[0]}` },
          ...(set.references.length > 1 ? set.references.map((r) => ({ value: r, says: `the hammer at ${r}` })) : []),
        ]}
        onSet={(r) => {
          const { references: _, ...rest } = recipe;
          onRecipe(r ? { references: [r.replace("−", "").trim()] } : { ...rest, references: undefined as never });
        }}
      />
      , between{" "}
      <RangeWord
        label="Band of the modes"
        value={recipe.band_hz}
        unit="Hz"
        low={0}
        onSet={(band_hz) => onRecipe({ band_hz, pick: "stable" })}
      />
      , and fit orders up to{" "}
      <NumberWord
        label="Highest order"
        value={recipe.max_order}
        low={2}
        high={120}
        whole
        onSet={(max_order) => onRecipe({ max_order })}
      />
      . A pole holds when from one order to the next its frequency moves less than{" "}
      {share("frequency_change", "Frequency moves less than")}, its damping less than{" "}
      {share("damping_change", "Damping moves less than")} and its participation keeps a MAC above{" "}
      <NumberWord label="Least MAC" value={recipe.mac} low={0} high={1} onSet={(mac) => onRecipe({ mac })} />, over{" "}
      <NumberWord
        label="Orders it must hold"
        value={recipe.lasts}
        low={1}
        high={100}
        whole
        onSet={(lasts) => onRecipe({ lasts })}
      />{" "}
      orders. Shapes are{" "}
      <ChosenWord
        label="Shapes"
        value={recipe.real ? "real" : "complex"}
        options={[
          { value: "complex", says: "as they are found" },
          { value: "real", says: "made real" },
        ]}
        onSet={(x) => onRecipe({ real: x === "real" })}
      />
      .
    </section>
  );
}
