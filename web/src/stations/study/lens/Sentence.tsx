/** The settings of a lens as a sentence whose words are changed. */
import type { RunDetail } from "../../../api/client";
import { digits, plain, short, typedNumber } from "../../../ui/format";
import { ChosenWord, TypedWord } from "../../../ui/Word";
import { rowsOf } from "../rows";
import { at, type Field, type Parts, type Recipe } from "./lenses";

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
    case "unit": {
      const units = motion.includes(unit) ? ["m/s²", "g", "mm/s", "µm"] : [unit];
      return (
        <ChosenWord
          label={field.label}
          value={(value as string) || unit}
          options={[...new Set([unit, ...units])].map((u) => ({ value: u, says: u }))}
          onSet={(u) => onSet(u === unit ? undefined : u)}
        />
      );
    }
    case "number": {
      const none = field.none;
      return (
        <TypedWord
          label={field.label}
          value={value === undefined ? (none ?? "") : `${plain(value as number)} ${field.unit ?? ""}`.trim()}
          onSet={async (t) => {
            if (none && /^\s*$|[a-z]{4}/i.test(t)) return onSet(undefined);
            return onSet(typedNumber(t, field.label.toLowerCase(), field.lo ?? 0, field.hi));
          }}
        />
      );
    }
    case "pair": {
      const [lo, hi] = (value as [number, number] | undefined) ?? [];
      const shown = lo === undefined ? (field.none ?? "") : `${short(lo)} to ${digits(hi, 4)} ${field.unit}`;
      return (
        <TypedWord
          label={field.label}
          value={shown}
          width={`${shown.length + 2}ch`}
          onSet={async (t) => {
            // Digits are grouped by thin spaces, which belong to the number.
            const found = t
              .replace(/[\u202f\u2009]/g, "")
              .replace(/,/g, ".")
              .match(/\d+(?:\.\d+)?/g);
            const [a, b] = (found ?? []).map(Number);
            if (field.none && a === undefined) return onSet(undefined);
            if (a === undefined || b === undefined || a >= b)
              throw new Error(
                `“${t}”: allowed are two numbers, the lower first${field.none ? `, or ${field.none}` : ""}`,
              );
            return onSet([a, b]);
          }}
        />
      );
    }
    case "list": {
      const all = (value as number[] | undefined) ?? [];
      return (
        <TypedWord
          label={field.label}
          value={all.length === 0 && field.none ? field.none : all.map((x) => plain(x)).join(", ")}
          onSet={async (t) => {
            if (field.none && (t.trim() === "" || t.trim() === field.none)) return onSet(field.signed ? undefined : []);
            const found = t
              .split(/[\s,;]+/)
              .filter(Boolean)
              .map(Number);
            const bad = (x: number) => (field.signed ? !Number.isFinite(x) : !(x > 0));
            if (!found.length || found.some(bad))
              throw new Error(`“${t}”: allowed are numbers${field.signed ? "" : " above 0"}, with commas between`);
            return onSet(found);
          }}
        />
      );
    }
  }
}
