/** Elements of the machine whose lines are marked in spectra. */

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schema, told } from "../../api/client";
import { Button } from "../../ui/Button";
import { NumberWord } from "../../ui/EntryWord";
import { Empty, Panel, Wrong } from "../../ui/Panel";
import { offerUndo } from "../../ui/undo";
import { ChosenWord, TypedWord } from "../../ui/Word";

type Element = Schema["Element"];
type Kind = Element["kind"];

const kinds: { kind: Kind; says: string }[] = [
  { kind: "shaft", says: "a shaft" },
  { kind: "blades", says: "blades" },
  { kind: "gear", says: "a gear" },
  { kind: "bearing", says: "a bearing" },
];

/** An element of a kind, its numbers ready to be put right. */
function fresh(kind: Kind, name: string, ratio: number): Element {
  switch (kind) {
    case "shaft":
      return { name, ratio, kind };
    case "blades":
      return { name, ratio, kind, count: 4 };
    case "gear":
      return { name, ratio, kind, teeth: 20 };
    case "bearing":
      return { name, ratio, kind, rollers: 9, roller_mm: 8, pitch_mm: 40, contact_deg: 0 };
  }
}

export function MachineView({ campaign }: { campaign: number | undefined }) {
  const client = useQueryClient();
  const [error, setError] = useState<Error>();
  const id = campaign ?? 0;
  const machine = useQuery({
    queryKey: ["machine", campaign],
    enabled: campaign !== undefined,
    queryFn: () => told(api.GET("/api/campaigns/{id}/machine", { params: { path: { id } } })),
  });
  const elements = machine.data?.elements ?? [];
  const write = async (to: Element[]) => {
    setError(undefined);
    await told(api.PUT("/api/campaigns/{id}/machine", { params: { path: { id } }, body: { elements: to } }));
    await client.invalidateQueries({ queryKey: ["machine"] });
    client.invalidateQueries({ queryKey: ["markers"] });
  };
  const change = (i: number, to: Element) => write(elements.map((e, k) => (k === i ? to : e)));
  const add = (kind: Kind) => {
    const says = kinds.find((k) => k.kind === kind)?.says.replace(/^an? /, "") ?? kind;
    let name = says;
    for (let n = 2; elements.some((e) => e.name === name); n++) name = `${says} ${n}`;
    write([...elements, fresh(kind, name, 1)]).catch(setError);
  };
  return (
    <Panel
      title="Elements of the machine"
      says="their lines follow the speed of the bracket; ratios are turns for a turn of the shaft with the tachometer"
      className="min-h-0 flex-1"
    >
      <Wrong error={error ?? machine.error} />
      <div className="min-h-0 flex-1 overflow-auto px-3 pb-3 text-[15px]">
        {machine.data && elements.length === 0 && (
          <Empty says="No element yet. Name shafts, blades, gears and bearings, and their lines can be marked in any spectrum." />
        )}
        <ul>
          {elements.map((e, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: an element is its place in the list
            <li key={i} className="flex items-baseline gap-2 border-b border-rule py-1 leading-8">
              <Sentence element={e} onSet={(to) => change(i, to)} />
              <button
                type="button"
                aria-label={`Remove ${e.name}`}
                className="ml-auto px-1 hover:text-harbour"
                onClick={() =>
                  write(elements.filter((_, k) => k !== i))
                    .then(() => offerUndo(`${e.name} removed`, () => write(elements)))
                    .catch(setError)
                }
              >
                ✕
              </button>
            </li>
          ))}
        </ul>
        <p className="mt-2 flex gap-4 text-[14px]">
          {kinds.map((k) => (
            <Button key={k.kind} look="link" onClick={() => add(k.kind)}>
              Add {k.says}
            </Button>
          ))}
        </p>
      </div>
    </Panel>
  );
}

function Sentence({ element: e, onSet }: { element: Element; onSet: (to: Element) => Promise<unknown> }) {
  const number = (label: string, value: number, unit: string, set: (x: number) => Element, whole = false) => (
    <NumberWord
      label={`${label} of ${e.name}`}
      value={value}
      unit={unit}
      low={0}
      whole={whole}
      onSet={(x) => onSet(set(x))}
    />
  );
  return (
    <span>
      <TypedWord
        label={`Name of ${e.name}`}
        value={e.name}
        plain
        onSet={async (name) => onSet({ ...e, name: name.trim() })}
      />{" "}
      is{" "}
      <ChosenWord
        label={`Kind of ${e.name}`}
        value={e.kind}
        options={kinds.map((k) => ({ value: k.kind, says: k.says }))}
        onSet={(kind) => {
          onSet(fresh(kind, e.name, e.ratio)).catch(() => undefined);
        }}
      />{" "}
      that turns {number("Ratio", e.ratio, "×", (ratio) => ({ ...e, ratio }))}
      {e.kind === "blades" && <>, {number("Blades", e.count, "", (count) => ({ ...e, count }), true)} of them</>}
      {e.kind === "gear" && <>, with {number("Teeth", e.teeth, "", (teeth) => ({ ...e, teeth }), true)} teeth</>}
      {e.kind === "bearing" && (
        <>
          , with {number("Rolling elements", e.rollers, "", (rollers) => ({ ...e, rollers }), true)} rolling elements of{" "}
          {number("Diameter", e.roller_mm, "mm", (roller_mm) => ({ ...e, roller_mm }))} on a circle of{" "}
          {number("Pitch circle", e.pitch_mm, "mm", (pitch_mm) => ({ ...e, pitch_mm }))} at{" "}
          {number("Contact angle", e.contact_deg ?? 0, "°", (contact_deg) => ({ ...e, contact_deg }))}
        </>
      )}
      .
    </span>
  );
}
