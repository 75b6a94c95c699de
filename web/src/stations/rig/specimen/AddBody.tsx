/** A body added from a few numbers, as a sentence. */
import { useState } from "react";
import type { Schema } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { NumberWord } from "../../../ui/EntryWord";
import { plain } from "../../../ui/format";
import { ChosenWord, TypedWord } from "../../../ui/Word";

type Body = Schema["GeneratedBody"];
type Kind = Body["body"];

const fresh: Record<Kind, Body> = {
  beam: { body: "beam", length_m: 1, points: 5 },
  plate: { body: "plate", length_m: 1, width_m: 0.6, along: 5, across: 4 },
  box: { body: "box", length_m: 1, width_m: 0.6, height_m: 0.4, points: 3 },
  cylinder: { body: "cylinder", radius_m: 0.3, height_m: 1, around: 8, along: 3 },
};

const kinds: { value: Kind; says: string }[] = [
  { value: "beam", says: "beam" },
  { value: "plate", says: "plate" },
  { value: "box", says: "box" },
  { value: "cylinder", says: "cylinder" },
];

/** What is said of each number: before it, what it is called, and behind the last one. */
const sentences: Record<Kind, { before: string; key: string; label: string; length: boolean }[]> = {
  beam: [
    { before: "of", key: "length_m", label: "Length", length: true },
    { before: "with", key: "points", label: "Points", length: false },
  ],
  plate: [
    { before: "of", key: "length_m", label: "Length", length: true },
    { before: "by", key: "width_m", label: "Width", length: true },
    { before: "with", key: "along", label: "Points along", length: false },
    { before: "by", key: "across", label: "Points across", length: false },
  ],
  box: [
    { before: "of", key: "length_m", label: "Length", length: true },
    { before: "by", key: "width_m", label: "Width", length: true },
    { before: "by", key: "height_m", label: "Height", length: true },
    { before: "with", key: "points", label: "Points an edge", length: false },
  ],
  cylinder: [
    { before: "of radius", key: "radius_m", label: "Radius", length: true },
    { before: "and height", key: "height_m", label: "Height", length: true },
    { before: "with", key: "around", label: "Points around", length: false },
    { before: "by", key: "along", label: "Rings", length: false },
  ],
};
const ends: Record<Kind, string> = { beam: "points", plate: "points", box: "points an edge", cylinder: "rings" };

export type NewBody = { body: Body; prefix: string; at: [number, number, number] };

export function AddBody({
  unit,
  onAdd,
  onClose,
}: {
  unit: "m" | "mm";
  onAdd: (made: NewBody) => Promise<unknown>;
  onClose: () => void;
}) {
  const [body, setBody] = useState<Body>(fresh.plate);
  const [prefix, setPrefix] = useState("");
  const [at, setAt] = useState<[number, number, number]>([0, 0, 0]);
  const [busy, setBusy] = useState(false);
  const kind = body.body;
  const values = body as unknown as Record<string, number>;
  const set = (key: string, value: number) => setBody({ ...body, [key]: value } as Body);
  const add = () => {
    setBusy(true);
    onAdd({ body, prefix, at }).finally(() => setBusy(false));
  };
  const length = (m: number) => `${plain(Number((unit === "mm" ? m * 1000 : m).toPrecision(9)))} ${unit}`;
  return (
    <div className="border-b border-rule px-3 py-1 text-[15px] leading-8">
      Add a <ChosenWord label="Body" value={kind} options={kinds} onSet={(k) => setBody(fresh[k])} />
      {sentences[kind].map((s) => (
        <span key={s.key}>
          {" "}
          {s.before}{" "}
          {s.length ? (
            <NumberWord
              label={s.label}
              unit={unit}
              above={0}
              value={values[s.key] as number}
              show={length}
              onSet={(v) => set(s.key, unit === "mm" ? v / 1000 : v)}
            />
          ) : (
            <NumberWord
              label={s.label}
              low={s.key === "around" ? 3 : 2}
              high={5000}
              whole
              value={values[s.key] as number}
              onSet={(v) => set(s.key, v)}
            />
          )}
        </span>
      ))}{" "}
      {ends[kind]}, from{" "}
      {(["x", "y", "z"] as const).map((axis, i) => (
        <span key={axis}>
          {i > 0 && ", "}
          {axis}{" "}
          <NumberWord
            label={`Begins at ${axis}`}
            unit={unit}
            value={at[i] as number}
            show={length}
            onSet={(v) => setAt(at.map((a, k) => (k === i ? (unit === "mm" ? v / 1000 : v) : a)) as typeof at)}
          />
        </span>
      ))}
      , its points called{" "}
      <TypedWord label="Before the numbers" value={prefix} width="9ch" onSet={async (t) => setPrefix(t)} plain /> and a
      number.
      <span className="ml-3 inline-flex items-center gap-3 align-middle">
        <Button look="main" disabled={busy} onClick={add}>
          Add
        </Button>
        <Button look="link" onClick={onClose}>
          Close
        </Button>
      </span>
    </div>
  );
}
