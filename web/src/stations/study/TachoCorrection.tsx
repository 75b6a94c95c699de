/** The tachometer of a run put right: speed, markers and everything that follows the shaft go by it. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useState } from "react";
import { api, type RunDetail, type Schema, told } from "../../api/client";
import { NumberWord } from "../../ui/EntryWord";
import { ChosenWord } from "../../ui/Word";
import { Reasoned } from "./Correction";
import { rowOf } from "./rows";

type Tacho = Schema["Tacho"];

export function TachoCorrection({
  run,
  tacho,
  onTacho,
}: {
  run: RunDetail;
  tacho: Tacho;
  onTacho: (to: Tacho) => void;
}) {
  return (
    <Popover as="span">
      <PopoverButton className="border-b border-harbour" aria-label="Tachometer, put right">
        tachometer
        {run.corrections.some((c) => c.channel == null) && " *"}
      </PopoverButton>
      <PopoverPanel anchor="bottom end" className="panel z-30 mt-2 w-[26rem] p-4 shadow-lg">
        {({ close }) => (
          <Form
            run={run}
            tacho={tacho}
            onDone={(to) => {
              onTacho(to);
              close();
            }}
          />
        )}
      </PopoverPanel>
    </Popover>
  );
}

function Form({ run, tacho, onDone }: { run: RunDetail; tacho: Tacho; onDone: (to: Tacho) => void }) {
  const [to, setTo] = useState(tacho);
  const unit = rowOf(run, to.channel)?.unit ?? "";
  const set = (part: Partial<Tacho>) => setTo({ ...to, ...part });
  const level = (key: "threshold" | "hysteresis", label: string, low?: number) => (
    <NumberWord
      label={label}
      value={to[key]}
      none="automatic"
      unit={unit}
      low={low}
      onSet={(x) => set({ [key]: x ?? null })}
    />
  );
  const history = run.corrections
    .filter((c) => c.channel == null)
    .map((c) => ({ ...c, says: `${c.before} → ${c.after}` }));
  return (
    <Reasoned
      put={(reason) =>
        told(api.POST("/api/runs/{id}/tacho", { params: { path: { id: run.id } }, body: { tacho: to, reason } }))
      }
      history={history}
      onDone={() => onDone(to)}
    >
      In this run the shaft is told by{" "}
      <ChosenWord
        label="Channel of the tachometer"
        value={to.channel}
        options={run.channels.map((c) => ({ value: c.channel, says: c.recorded.name }))}
        onSet={(channel) => set({ channel, threshold: null, hysteresis: null })}
      />
      , its{" "}
      <ChosenWord
        label="Edge of the tachometer"
        value={to.slope ?? "rising"}
        options={[
          { value: "rising", says: "rising" },
          { value: "falling", says: "falling" },
        ]}
        onSet={(slope) => set({ slope: slope as "rising" | "falling" })}
      />{" "}
      edges through {level("threshold", "Threshold of the tachometer")}, hysteresis{" "}
      {level("hysteresis", "Hysteresis of the tachometer", 0)},{" "}
      <NumberWord
        label="Pulses a turn"
        what="pulses per revolution"
        value={to.pulses_per_rev ?? 1}
        above={0}
        high={100_000}
        onSet={(pulses_per_rev) => set({ pulses_per_rev })}
      />{" "}
      pulses/rev with{" "}
      <NumberWord
        label="Missing teeth"
        what="the number of missing teeth"
        value={to.missing_teeth ?? 0}
        low={0}
        high={10}
        whole
        onSet={(missing_teeth) => set({ missing_teeth })}
      />{" "}
      missing,{" "}
    </Reasoned>
  );
}
