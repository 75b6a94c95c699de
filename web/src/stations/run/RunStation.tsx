/** Run: what is heard now, on a bench of displays, and what is being recorded. */

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { GridLayout, noCompactor, useContainerWidth } from "react-grid-layout";
import { api, type Channel, told } from "../../api/client";
import { useHeard } from "../../api/live";
import { useMath, useRig } from "../../api/queries";
import { useCampaign, useMeasured } from "../../shell/useCampaign";
import { Button } from "../../ui/Button";
import { Empty, Wrong } from "../../ui/Panel";
import { offerUndo } from "../../ui/undo";
import { useHeight } from "../../ui/useHeight";
import { ChosenWord, TypedWord } from "../../ui/Word";
import {
  COLUMNS,
  type Display,
  displays,
  fresh,
  leave,
  left,
  nameOf,
  type Pane,
  ROWS,
  usual,
  type Working,
} from "./bench";
import { PaneFrame } from "./PaneFrame";

const GAP = 8;

export function RunStation() {
  const { id } = useCampaign();
  const rig = useRig(id);
  const measured = useMeasured();
  if (measured !== undefined && id !== undefined && measured !== id)
    return <Empty says="Nothing of this campaign is measured now. Its runs are in the log below." />;
  if (!rig.data) return rig.error ? <Wrong error={rig.error} /> : <Empty says="Loading rig …" />;
  return <Bench key={id} campaign={id} channels={rig.data.rig.channels} />;
}

function Bench({ campaign, channels }: { campaign: number | undefined; channels: Channel[] }) {
  const [bench, setBench] = useState<Working>(() => left(campaign) ?? { name: "", panes: usual(channels) });
  const [frozen, setFrozen] = useState(false);
  const { width, containerRef, mounted } = useContainerWidth();
  const height = useHeight(containerRef);
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
    change(bench.panes.map((p, k) => (k === i ? place({ ...p, ...part }) : p)));
  const plots: Display[] = ["waveform", "spectrum", "strip"];
  const plotted = bench.panes.find((p) => plots.includes(p.display))?.inputs ?? [];
  const toggle = (input: number) => {
    const inputs = plotted.includes(input) ? plotted.filter((i) => i !== input) : [...plotted, input].slice(-8);
    change(bench.panes.map((p) => (plots.includes(p.display) ? { ...p, inputs } : p)));
  };
  const heard = useHeard();
  const rowHeight = Math.max((height - (ROWS - 1) * GAP) / ROWS, 18);
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-2">
      <Toolbar
        campaign={campaign}
        bench={bench}
        frozen={frozen}
        onFrozen={setFrozen}
        onBench={(b) => change(b.panes, b.name)}
        onAdd={(display) => {
          const bottom = Math.max(0, ...bench.panes.map((p) => p.y + p.h));
          const inputs = on.map((c) => c.input);
          change([...bench.panes, fresh(display, inputs, { x: 0, y: bottom })]);
        }}
        onUsual={() => change(usual(channels), "")}
      />
      <div ref={containerRef} className="relative min-h-0 flex-1 overflow-x-hidden overflow-y-auto">
        {mounted && height > 0 && (
          <GridLayout
            width={width}
            layout={bench.panes.map((p, i) => ({ i: String(i), x: p.x, y: p.y, w: p.w, h: p.h, minW: 2, minH: 3 }))}
            gridConfig={{ cols: COLUMNS, rowHeight, margin: [GAP, GAP], containerPadding: [0, 0] }}
            dragConfig={{ handle: ".pane-head", cancel: ".pane-word" }}
            compactor={noCompactor}
            onDragStop={(layout) => change(moved(bench.panes, layout))}
            onResizeStop={(layout) => change(moved(bench.panes, layout))}
          >
            {bench.panes.map((p, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: a display is its place in the list
              <div key={i}>
                <PaneFrame
                  pane={p}
                  channels={computes.includes(p.display) ? all : on}
                  heard={heard}
                  frozen={frozen}
                  plotted={plotted}
                  onToggle={toggle}
                  onSet={(part) => set(i, part)}
                  onClose={() => {
                    const before = bench.panes;
                    change(before.filter((_, k) => k !== i));
                    offerUndo(`Panel ${nameOf(p.display)} closed`, () => change(before));
                  }}
                />
              </div>
            ))}
          </GridLayout>
        )}
      </div>
    </div>
  );
}

/** Displays that show computed channels, too. */
const computes: Display[] = ["waveform", "spectrum", "numbers", "table", "orbit", "waterfall"];

const moved = (panes: Pane[], layout: readonly { i: string; x: number; y: number; w: number; h: number }[]) =>
  panes.map((p, i) => {
    const to = layout.find((l) => l.i === String(i));
    return to ? { ...p, x: to.x, y: to.y, w: to.w, h: to.h } : p;
  });

/** A place and size the bench has. */
function place(p: Pane): Pane {
  const w = Math.min(Math.max(p.w, 2), COLUMNS);
  return {
    ...p,
    w,
    h: Math.min(Math.max(p.h, 3), 60),
    x: Math.min(Math.max(p.x, 0), COLUMNS - w),
    y: Math.max(p.y, 0),
  };
}

type BarProps = {
  campaign: number | undefined;
  bench: Working;
  frozen: boolean;
  onFrozen: (frozen: boolean) => void;
  onBench: (bench: Working) => void;
  onAdd: (display: Display) => void;
  onUsual: () => void;
};

const USUAL = "\u0000";

/** Which bench, a new display, freezing. */
function Toolbar({ campaign, bench, frozen, onFrozen, onBench, onAdd, onUsual }: BarProps) {
  const client = useQueryClient();
  const [error, setError] = useState<Error>();
  const at = { params: { path: { id: campaign ?? 0 } } };
  const kept = useQuery({
    queryKey: ["benches", campaign],
    enabled: campaign !== undefined,
    queryFn: () => told(api.GET("/api/campaigns/{id}/benches", at)),
  });
  const done = () => client.invalidateQueries({ queryKey: ["benches", campaign] });
  const named = (name: string) => ({ params: { path: { id: campaign ?? 0, name } } });
  const keep = async (name: string) => {
    setError(undefined);
    await told(api.PUT("/api/campaigns/{id}/benches/{name}", { ...named(name.trim()), body: { panes: bench.panes } }));
    onBench({ ...bench, name: name.trim() });
    done();
  };
  const names = kept.data?.map((b) => b.name) ?? [];
  const current = kept.data?.find((b) => b.name === bench.name);
  const changed = current && JSON.stringify(current.bench.panes) !== JSON.stringify(bench.panes);
  return (
    <div role="toolbar" aria-label="Bench" className="flex min-h-8 items-center gap-4 text-[13px]">
      <span>
        Bench{" "}
        <ChosenWord
          label="Bench"
          value={bench.name || USUAL}
          options={[
            { value: USUAL, says: "Standard" },
            ...[...new Set([...names, bench.name].filter(Boolean))].map((n) => ({ value: n, says: n })),
          ]}
          onSet={(name) => {
            const found = kept.data?.find((b) => b.name === name);
            if (found) onBench({ name, panes: found.bench.panes as Pane[] });
            else onUsual();
          }}
        />
        {changed && " (changed)"}
      </span>
      <span>
        Save as{" "}
        <TypedWord label="Name of the bench" value={bench.name} width="16ch" plain onSet={(name) => keep(name)} />
      </span>
      {changed && (
        <Button look="link" onClick={() => keep(bench.name).catch(setError)}>
          Save changes
        </Button>
      )}
      {current && (
        <Button
          look="link"
          onClick={() =>
            told(api.DELETE("/api/campaigns/{id}/benches/{name}", named(current.name)))
              .then(() => {
                const { name, bench: gone } = current;
                onUsual();
                done();
                offerUndo(`Bench ${name} deleted`, async () => {
                  await told(api.PUT("/api/campaigns/{id}/benches/{name}", { ...named(name), body: gone }));
                  onBench({ name, panes: gone.panes as Pane[] });
                  done();
                });
              })
              .catch(setError)
          }
        >
          Delete bench
        </Button>
      )}
      <span>
        <ChosenWord
          label="Add a display"
          value={"" as Display | ""}
          options={displays.map((d) => ({ value: d.display as Display | "", says: d.says }))}
          onSet={(d) => d && onAdd(d)}
          empty="Add a display"
        />
      </span>
      {error && <span className="text-reef">{error.message}</span>}
      <span className="ml-auto" />
      <Button look="link" aria-pressed={frozen} onClick={() => onFrozen(!frozen)}>
        {frozen ? "Resume" : "Freeze"}
      </Button>
      {frozen && <span className="text-lamp">▲ frozen; recording goes on</span>}
    </div>
  );
}
