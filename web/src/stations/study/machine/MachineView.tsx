/** Elements of the machine whose lines are marked in spectra. */

import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type RunDetail, type Schema, told } from "../../../api/client";
import { useMachine, useSaveMachine } from "../../../api/queries";
import { Button } from "../../../ui/Button";
import { NumberWord } from "../../../ui/EntryWord";
import { plain } from "../../../ui/format";
import { Empty, Panel, Wrong } from "../../../ui/Panel";
import { Split } from "../../../ui/Split";
import { TableMenu } from "../../../ui/TableMenu";
import { removeListed } from "../../../ui/undo";
import { ChosenWord, TypedWord } from "../../../ui/Word";
import { useMarkers } from "../useMarkers";
import { Kinematics, LinesTable } from "./Kinematics";

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

export function MachineView({ run, campaign }: { run: RunDetail; campaign: number | undefined }) {
  const [error, setError] = useState<Error>();
  const machine = useMachine(campaign);
  const save = useSaveMachine(campaign);
  const elements = machine.data?.data.elements ?? [];
  const write = (to: Element[], made_on = machine.data?.version ?? 0) => {
    setError(undefined);
    return save.mutateAsync({ elements: to, made_on });
  };
  const change = (i: number, to: Element) => write(elements.map((e, k) => (k === i ? to : e)));
  const add = (kind: Kind) => {
    const says = kinds.find((k) => k.kind === kind)?.says.replace(/^an? /, "") ?? kind;
    let name = says;
    for (let n = 2; elements.some((e) => e.name === name); n++) name = `${says} ${n}`;
    write([...elements, fresh(kind, name, 1)]).catch(setError);
  };
  const sheet = (
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
                onClick={() => removeListed(`${e.name} removed`, elements, i, write).catch(setError)}
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
  return (
    <Split
      id="machine"
      label="Width of the diagram"
      size={52}
      least={25}
      first={sheet}
      second={<AtSpeed run={run} campaign={campaign} elements={elements} version={machine.data?.version ?? 0} />}
    />
  );
}

type AtSpeedProps = { run: RunDetail; campaign: number | undefined; elements: Element[]; version: number };

/** The machine at a speed: that of the run until another one is typed. */
function AtSpeed({ run, campaign, elements, version }: AtSpeedProps) {
  const [typed, setTyped] = useState<number>();
  const measured = useMarkers(run, [0, run.duration_s])?.rpm;
  const rpm = typed ?? (measured ? Number(measured.toPrecision(5)) : USUAL_RPM);
  const lines = useQuery({
    queryKey: ["lines", campaign, version, rpm],
    enabled: campaign !== undefined && elements.length > 0,
    placeholderData: keepPreviousData,
    queryFn: () =>
      told(api.GET("/api/campaigns/{id}/machine/lines", { params: { path: { id: campaign ?? 0 }, query: { rpm } } })),
  });
  return (
    <Panel
      title="At a speed"
      says={
        <>
          of{" "}
          <NumberWord
            label="Speed of the shaft"
            what="the speed"
            value={rpm}
            unit="rpm"
            above={0}
            high={1e6}
            onSet={setTyped}
          />
          {typed === undefined && measured ? `, the mean of run ${run.number}` : ""}
        </>
      }
      aside={elements.length > 0 && <TableMenu name="lines of the machine" />}
      className="min-h-0 flex-1"
    >
      <Wrong error={lines.error} />
      {elements.length === 0 ? (
        <Empty says="The machine is drawn here as its elements are named, with the frequency of every line." />
      ) : (
        <div className="flex min-h-0 flex-1 flex-col gap-2 overflow-auto pb-2">
          <Kinematics elements={elements} lines={lines.data ?? []} rpm={rpm} />
          <div className="px-3">
            <LinesTable lines={lines.data ?? []} />
          </div>
        </div>
      )}
    </Panel>
  );
}

/** Where neither the run nor the engineer says a speed. */
const USUAL_RPM = 1500;

function Sentence({ element: e, onSet }: { element: Element; onSet: (to: Element) => Promise<unknown> }) {
  const number = (label: string, value: number, unit: string, set: (x: number) => Element, whole = false) => (
    <NumberWord
      label={`${label} of ${e.name}`}
      value={value}
      unit={unit}
      show={(x) => `${plain(Number(x.toPrecision(6)))} ${unit}`.trim().replace(" °", "°")}
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
