/** The settings of a lens as a sentence whose words are changed. */
import type { RunDetail } from "../../../api/client";
import { ListWord, NumberWord, RangeWord } from "../../../ui/EntryWord";
import { Explain } from "../../../ui/Explain";
import { digits, short } from "../../../ui/format";
import { unitMethods } from "../../../ui/methods";
import { ChosenWord } from "../../../ui/Word";
import { rowsOf } from "../rows";
import { at, type Field, type Parts, type Recipe } from "./lenses";
import { useLimits } from "./limits";

type Props = {
  run: RunDetail;
  parts: Parts;
  recipe: Recipe;
  /** Unit of the channels shown. */
  unit: string;
  onSet: (key: string, value: unknown) => void;
};

export function Sentence({ run, parts, recipe, unit, onSet }: Props) {
  return (
    <>
      {parts.map((p, i) =>
        typeof p === "string" ? (
          // biome-ignore lint/suspicious/noArrayIndexKey: a sentence keeps its order
          <span key={i}>{p}</span>
        ) : (
          <One key={p.key} field={p} run={run} recipe={recipe} unit={unit} onSet={(v) => onSet(p.key, v)} />
        ),
      )}
    </>
  );
}

const motion = ["m/s²", "g", "mm/s²", "mm/s", "m/s", "µm", "mm", "m"];

/** The unit curves are shown in: that of their channels, or one they are converted or integrated to. */
export function UnitWord(p: { unit: string; value: string | undefined; onSet: (to: string | undefined) => void }) {
  const units = motion.includes(p.unit) ? ["m/s²", "g", "mm/s", "µm"] : [];
  return (
    <>
      <ChosenWord
        label="Unit"
        value={p.value || p.unit}
        options={[...new Set([p.unit, ...units])].map((u) => ({ value: u, says: u }))}
        onSet={(u) => p.onSet(u === p.unit ? undefined : u)}
      />
      {units.length > 0 && (
        <>
          {" "}
          <Explain what="Another unit of motion" titles={unitMethods} />
        </>
      )}
    </>
  );
}

type Limited = {
  lens: string;
  name: string;
  label: string;
  value: number | undefined;
  none: string;
  onSet: (to: number | undefined) => void;
};

/** A number of a lens, held to what the server takes. */
function LimitedWord({ lens, name, ...word }: Limited) {
  const is = useLimits(lens, name);
  return (
    <NumberWord
      {...word}
      unit={is?.unit === "samples" ? "" : is?.unit}
      low={is?.low ?? undefined}
      above={is?.above ?? undefined}
      high={is?.high ?? undefined}
      whole={is?.whole ?? false}
    />
  );
}

function One({
  field,
  run,
  recipe,
  unit,
  onSet,
}: {
  field: Field;
  run: RunDetail;
  recipe: Recipe;
  unit: string;
  onSet: (value: unknown) => void;
}) {
  const value = at(recipe, field.key);
  switch (field.as) {
    case "choice":
      return (
        <ChosenWord
          label={field.label}
          value={(value ?? field.usual ?? "") as string | number}
          options={field.options(run)}
          onSet={onSet}
        />
      );
    case "flag":
      return (
        <ChosenWord
          label={field.label}
          value={value ? "yes" : "no"}
          options={[
            { value: "no", says: field.no },
            { value: "yes", says: field.yes },
          ]}
          onSet={(v) => onSet(v === "yes")}
        />
      );
    case "channel":
      return (
        <ChosenWord
          label={field.label}
          value={(Array.isArray(value) ? value[0] : value) as number}
          options={rowsOf(run).map((c) => ({ value: c.channel, says: c.name }))}
          onSet={onSet}
        />
      );
    case "unit":
      return <UnitWord unit={unit} value={value as string | undefined} onSet={onSet} />;
    case "number":
      return (
        <LimitedWord
          lens={recipe.lens}
          name={field.key}
          label={field.label}
          value={value as number | undefined}
          none={field.none ?? ""}
          onSet={onSet}
        />
      );
    case "pair":
      return (
        <RangeWord
          label={field.label}
          value={value as [number, number] | undefined}
          none={field.none ?? ""}
          unit={field.unit}
          low={0}
          show={([lo, hi]) => `${short(lo)} to ${digits(hi, 4)} ${field.unit}`}
          onSet={onSet}
        />
      );
    case "list":
      return (
        <ListWord
          label={field.label}
          value={value as number[] | undefined}
          none={field.none ?? ""}
          above={field.signed ? undefined : 0}
          onSet={(to: number[] | undefined) => onSet(to ?? (field.signed ? undefined : []))}
        />
      );
  }
}
