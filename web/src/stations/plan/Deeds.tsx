/** What is done when something has ended, as the words of its sentence. */
import type { Schema } from "../../api/client";
import { formats, reportForms, separators } from "../../jobs/fileForms";
import { RangeWord } from "../../ui/EntryWord";
import { ChosenWord, TypedWord } from "../../ui/Word";
import { lensOf } from "../study/lens/lenses";
import type { Afterwards } from "./afterwards";

type What = Afterwards["what"];
type Of<K extends What["do"]> = Extract<What, { do: K }>;

const width = (text: string, least: number) => `${Math.min(Math.max(text.length, least), 40) + 0.6}ch`;

type DeedProps = {
  n: number;
  deed: What;
  templates: string[];
  onSet: (part: object) => Promise<unknown>;
  onChoose: (part: object) => void;
};

export function Deed({ deed, templates, ...of }: DeedProps) {
  switch (deed.do) {
    case "keep":
      return <Keep deed={deed} {...of} />;
    case "file":
      return <File deed={deed} {...of} />;
    case "modes":
      return <Modes deed={deed} {...of} />;
    case "responses":
      return <Responses deed={deed} {...of} />;
    default:
      return <Report deed={deed} templates={templates} {...of} />;
  }
}

function Keep({ n, deed, onSet }: Pick<Props<"keep">, "n" | "deed" | "onSet">) {
  const recipe = deed.recipe as unknown as { lens: string; channels?: number[] };
  const named = (recipe.channels ?? []).map((c) => deed.channels[c - 1]).filter(Boolean);
  return (
    <>
      its {lensOf(recipe.lens).says.toLowerCase()}
      {named.length > 0 && <> of {named.length > 2 ? `${named.length} channels` : named.join(" and ")}</>} is kept as{" "}
      <TypedWord
        label={`Name ${n}`}
        value={deed.name}
        width={width(deed.name, 8)}
        plain
        onSet={(name) => onSet({ name })}
      />
    </>
  );
}

type Props<K extends What["do"]> = {
  n: number;
  deed: Of<K>;
  /** Rejects with the reason where what was typed is refused. */
  onSet: (part: object) => Promise<unknown>;
  onChoose: (part: object) => void;
};

function Folder({ n, value, onSet }: { n: number; value: string; onSet: (folder: string) => Promise<unknown> }) {
  return (
    <>
      {" in the folder "}
      <TypedWord label={`Folder ${n}`} value={value} width={width(value, 12)} plain onSet={onSet} />
    </>
  );
}

function File({ n, deed, onSet, onChoose }: Props<"file">) {
  const e = deed.export;
  const put = (part: Partial<Schema["RunExport"]>) => ({ export: { ...e, ...part } });
  return (
    <>
      the run is written as{" "}
      <ChosenWord
        label={`Kind of file ${n}`}
        value={e.format}
        options={formats}
        onSet={(format) => onChoose(put({ format, ...(format === "csv" ? {} : { decimal_comma: false }) }))}
      />
      {e.format === "csv" && (
        <>
          {" with "}
          <ChosenWord
            label={`Between the cells ${n}`}
            value={`${e.separator ?? "comma"}${e.decimal_comma ? " ," : ""}`}
            options={separators}
            onSet={(to) => onChoose(put(separators.find((s) => s.value === to)?.put ?? {}))}
          />
        </>
      )}
      , channels{" "}
      <TypedWord
        label={`Channels ${n}`}
        value={e.named || "all"}
        width={width(e.named ?? "", 8)}
        plain
        onSet={(text) => onSet(put({ named: ["all", "*"].includes(text.trim()) ? "" : text.trim(), channels: [] }))}
      />
      , in{" "}
      <ChosenWord
        label={`Numbers ${n}`}
        value={e.counts ? "counts" : "units"}
        options={[
          { value: "units", says: "engineering units" },
          { value: "counts", says: "counts of the converter" },
        ]}
        onSet={(v) => onChoose(put({ counts: v === "counts" }))}
      />
      , called{" "}
      <TypedWord
        label={`Name ${n}`}
        value={e.name || "run-{run}"}
        width={width(e.name ?? "", 10)}
        plain
        onSet={(name) => onSet(put({ name: name === "run-{run}" ? "" : name }))}
      />
      <Folder n={n} value={deed.folder ?? ""} onSet={(folder) => onSet({ folder })} />
    </>
  );
}

function Report({ n, deed, templates, onSet, onChoose }: Props<"report"> & { templates: string[] }) {
  const own = deed.template ?? "";
  return (
    <>
      the report is made{" "}
      <ChosenWord
        label={`Template ${n}`}
        value={own}
        options={[
          { value: "", says: "as it stands" },
          ...templates.map((t) => ({ value: t, says: `by the template “${t}”` })),
          ...(own && !templates.includes(own) ? [{ value: own, says: `by “${own}”, which is gone` }] : []),
        ]}
        onSet={(template) => onChoose({ template: template || null })}
      />
      , as{" "}
      <ChosenWord
        label={`Form of the report ${n}`}
        value={deed.form ?? "pdf"}
        options={reportForms}
        onSet={(form) => onChoose({ form })}
      />
      , called{" "}
      <TypedWord
        label={`Name ${n}`}
        value={deed.name || "report {run}"}
        width={width(deed.name ?? "", 12)}
        plain
        onSet={(name) => onSet({ name: name === "report {run}" ? "" : name })}
      />
      <Folder n={n} value={deed.folder ?? ""} onSet={(folder) => onSet({ folder })} />
    </>
  );
}

function Modes({ n, deed, onSet }: Pick<Props<"modes">, "n" | "deed" | "onSet">) {
  const recipe = deed.recipe as unknown as { band_hz?: [number, number]; max_order?: number };
  return (
    <>
      its modes are found over{" "}
      <RangeWord
        label={`Band ${n}`}
        value={recipe.band_hz}
        none="all lines"
        unit="Hz"
        low={0}
        onSet={(band) => onSet({ recipe: { ...recipe, band_hz: band } })}
      />
      , poles that hold picked, and kept as{" "}
      <TypedWord
        label={`Name ${n}`}
        value={deed.name}
        width={width(deed.name, 8)}
        plain
        onSet={(name) => onSet({ name })}
      />
    </>
  );
}

function Responses({ n, deed, onSet, onChoose }: Props<"responses">) {
  return (
    <>
      its responses are written as a universal file{" "}
      <ChosenWord
        label={`Numbers ${n}`}
        value={deed.binary ? "binary" : "text"}
        options={[
          { value: "binary", says: "with binary numbers" },
          { value: "text", says: "as text" },
        ]}
        onSet={(v) => onChoose({ binary: v === "binary" })}
      />
      , called{" "}
      <TypedWord
        label={`Name ${n}`}
        value={deed.name || USUAL}
        width={width(deed.name ?? "", USUAL.length)}
        plain
        onSet={(name) => onSet({ name: name === USUAL ? "" : name })}
      />
      <Folder n={n} value={deed.folder ?? ""} onSet={(folder) => onSet({ folder })} />
    </>
  );
}

/** What responses are called where nothing else is said. */
const USUAL = "responses of tap series";
