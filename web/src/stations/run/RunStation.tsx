/** Run: what is heard now, on a bench of displays, and what is being recorded. */
import { Suspense, useMemo, useState } from "react";
import { useParams } from "react-router";
import { api, type Channel, told } from "../../api/client";
import { useHeard } from "../../api/live";
import { useMath, useRig } from "../../api/queries";
import { later } from "../../shell/later";
import { useCampaign, useMeasured } from "../../shell/useCampaign";
import { BenchGrid, below, closePanel, placed } from "../../ui/BenchGrid";
import { type BenchStore, BenchWords } from "../../ui/BenchWords";
import { Button } from "../../ui/Button";
import { Empty, Wrong } from "../../ui/Panel";
import { ChosenWord } from "../../ui/Word";
import {
  type Display,
  displays,
  fresh,
  leave,
  left,
  nameOf,
  type Pane,
  ROWS,
  STANDARD,
  usual,
  type Working,
} from "./bench";
import { PaneFrame } from "./PaneFrame";
import { RunNav } from "./RunNav";

export function RunStation() {
  const { id } = useCampaign();
  const rig = useRig(id);
  const measured = useMeasured();
  const { view = "" } = useParams();
  // A series is looked at whatever is measured now.
  if (view === "taps" && id !== undefined && rig.data)
    return (
      <Suspense fallback={<Empty says="Opening …" />}>
        <TapView key={id} campaign={id} channels={rig.data.rig.channels} />
      </Suspense>
    );
  if (measured !== undefined && id !== undefined && measured !== id)
    return <Empty says="Nothing of this campaign is measured now. Its runs are in the log below." />;
  if (!rig.data) return rig.error ? <Wrong error={rig.error} /> : <Empty says="Loading rig …" />;
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-2">
      <RunNav view="" />
      <Bench key={id} campaign={id} channels={rig.data.rig.channels} />
    </div>
  );
}

const TapView = later(() => import("./taps/TapView"), "TapView");

function Bench({ campaign, channels }: { campaign: number | undefined; channels: Channel[] }) {
  const [bench, setBench] = useState<Working>(() => left(campaign) ?? { name: STANDARD, panes: usual(channels) });
  const [frozen, setFrozen] = useState(false);
  const on = useMemo(() => channels.filter((c) => c.on), [channels]);
  const math = useMath(campaign).data?.data;
  // Computed channels stand behind those that are measured, where a display can show them.
  const all = useMemo(
    () => [
      ...on,
      ...(math ?? []).flatMap((m): Channel[] =>
        m.channel != null && on[0]
          ? [{ ...on[0], input: m.channel, label: "f", name: m.name, unit: m.unit || "1" }]
          : [],
      ),
    ],
    [on, math],
  );
  const change = (panes: Pane[], name = bench.name) => {
    setBench({ name, panes });
    leave(campaign, { name, panes });
  };
  const set = (i: number, part: Partial<Pane>) =>
    change(bench.panes.map((p, k) => (k === i ? placed({ ...p, ...part }) : p)));
  const plots: Display[] = ["waveform", "spectrum", "strip"];
  const plotted = bench.panes.find((p) => plots.includes(p.display))?.inputs ?? [];
  const toggle = (input: number) => {
    const inputs = plotted.includes(input) ? plotted.filter((i) => i !== input) : [...plotted, input].slice(-8);
    change(bench.panes.map((p) => (plots.includes(p.display) ? { ...p, inputs } : p)));
  };
  const heard = useHeard();
  const ready = useMemo(() => [{ name: STANDARD, make: () => usual(channels) }], [channels]);
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-2">
      <BenchWords
        store={campaign === undefined ? undefined : storeOf(campaign)}
        name={bench.name}
        bench={bench.panes}
        ready={ready}
        onBench={(name, panes) => change(panes, name)}
        add={
          <ChosenWord
            label="Add a display"
            value={"" as Display | ""}
            options={displays.map((d) => ({ value: d.display as Display | "", says: d.says }))}
            onSet={(d) => {
              const inputs = on.map((c) => c.input);
              if (d) change([...bench.panes, fresh(d, inputs, { x: 0, y: below(bench.panes) })]);
            }}
            empty="Add a display"
          />
        }
      >
        <span className="ml-auto" />
        <Button look="link" aria-pressed={frozen} onClick={() => setFrozen(!frozen)}>
          {frozen ? "Resume" : "Freeze"}
        </Button>
        {frozen && <span className="text-lamp">▲ frozen; recording goes on</span>}
      </BenchWords>
      <BenchGrid
        panels={bench.panes}
        rows={ROWS}
        onPanels={change}
        panel={(p, i) => (
          <PaneFrame
            pane={p}
            channels={computes.includes(p.display) ? all : on}
            heard={heard}
            frozen={frozen}
            plotted={plotted}
            onToggle={toggle}
            onSet={(part) => set(i, part)}
            onClose={() => closePanel(nameOf(p.display), bench.panes, i, change)}
          />
        )}
      />
    </div>
  );
}

/** Displays that show computed channels, too. */
const computes: Display[] = ["waveform", "spectrum", "numbers", "table", "orbit", "waterfall"];

/** Benches of displays of a campaign. */
function storeOf(id: number): BenchStore<Pane[]> {
  const named = (name: string) => ({ params: { path: { id, name } } });
  return {
    key: ["run", id],
    list: async () => {
      const all = await told(api.GET("/api/campaigns/{id}/benches", { params: { path: { id } } }));
      return all.map((b) => ({ name: b.name, bench: b.bench.panes as Pane[] }));
    },
    keep: (name, panes) => told(api.PUT("/api/campaigns/{id}/benches/{name}", { ...named(name), body: { panes } })),
    drop: (name) => told(api.DELETE("/api/campaigns/{id}/benches/{name}", named(name))),
  };
}
