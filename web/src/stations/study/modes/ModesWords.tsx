/** What modes are looked for in, and by what, as a sentence. */
import type { RunDetail } from "../../../api/client";
import type { FunctionSet } from "../../../api/taps";
import { NumberWord, RangeWord } from "../../../ui/EntryWord";
import { plain } from "../../../ui/format";
import { ChosenWord } from "../../../ui/Word";
import { sensorsOf } from "../deflection/recipe";
import { type From, type ModesRecipe, nameFrom } from "./recipe";

type Props = {
  all: From[];
  from: From;
  onChoose: (name: string) => void;
  recipe: ModesRecipe;
  onRecipe: (part: Partial<ModesRecipe>) => void;
};

const percent = (x: number) => `${plain(100 * x)} %`;

export function ModesWords({ all, from, onChoose, recipe, onRecipe }: Props) {
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
  return (
    <section aria-label="How modes are found" className="leading-7">
      From{" "}
      <ChosenWord
        label="Set of responses"
        value={nameFrom(from)}
        options={all.map((f) => ({
          value: nameFrom(f),
          says: f.set ? f.set.says : `run ${f.run.number}, in operation`,
        }))}
        onSet={onChoose}
      />{" "}
      {from.set ? (
        <OfResponses set={from.set} recipe={recipe} onRecipe={onRecipe} />
      ) : (
        <InOperation run={from.run} recipe={recipe} onRecipe={onRecipe} />
      )}
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

type Recipe = Pick<Props, "recipe" | "onRecipe">;

function OfResponses({ set, recipe, onRecipe }: Recipe & { set: FunctionSet }) {
  return (
    <>
      take{" "}
      <span className="num">
        {set.count - set.taken_out} of {set.count}
      </span>{" "}
      responses against{" "}
      <ChosenWord
        label="References"
        value={`${recipe.references?.[0] ?? ""}`}
        options={[
          { value: "", says: set.references.length > 1 ? "all references" : `the hammer at ${set.references[0]}` },
          ...(set.references.length > 1 ? set.references.map((r) => ({ value: r, says: `the hammer at ${r}` })) : []),
        ]}
        onSet={(r) => onRecipe({ references: r ? [r.replace("−", "").trim()] : (undefined as never) })}
      />
    </>
  );
}

function InOperation({ run, recipe, onRecipe }: Recipe & { run: RunDetail }) {
  const channels = sensorsOf(run);
  const named = (c: number) => run.channels.find((r) => r.channel === c)?.recorded.name ?? `channel ${c}`;
  const pick = "stable" as const;
  return (
    <>
      take the correlations of <span className="num">{channels.length}</span> sensors with{" "}
      <ChosenWord
        label="References"
        value={recipe.references?.[0] ?? 0}
        options={[
          { value: 0, says: "the three that move most" },
          ...channels.map((c) => ({ value: c, says: named(c) })),
        ]}
        onSet={(c) => onRecipe({ references: c ? [c] : (undefined as never), pick })}
      />
      , up to{" "}
      <NumberWord
        label="Longest lag"
        value={recipe.longest_lag_s ?? 1}
        unit="s"
        above={0}
        high={60}
        onSet={(longest_lag_s) => onRecipe({ longest_lag_s, pick })}
      />{" "}
      apart
    </>
  );
}
