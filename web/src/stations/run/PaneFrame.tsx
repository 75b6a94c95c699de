/** A display on the bench: its head moves it, its words change what it shows, keys place and size it. */
import type { KeyboardEvent, ReactNode } from "react";
import type { Channel } from "../../api/client";
import { usePlan } from "../../api/queries";
import { orders } from "../../shell/capture";
import { useCampaign } from "../../shell/useCampaign";
import { Button } from "../../ui/Button";
import { ChannelsWord } from "../../ui/ChannelsWord";
import { RangeWord } from "../../ui/EntryWord";
import { rate, short } from "../../ui/format";
import { Guarded } from "../../ui/Guarded";
import { Empty } from "../../ui/Panel";
import { ChosenWord } from "../../ui/Word";
import { blocks, lengths, nameOf, type Pane, windows } from "./bench";
import { MeterBridge } from "./MeterBridge";
import { LimitsPane } from "./panes/LimitsPane";
import { NowPane } from "./panes/NowPane";
import { NumbersPane, TablePane } from "./panes/Numbers";
import { OrbitPane } from "./panes/OrbitPane";
import { SpectrumPane, StripPane, WaveformPane } from "./panes/Plots";
import type { PaneProps } from "./panes/paneProps";
import { SpeedPane } from "./panes/SpeedPane";
import { WaterfallPane } from "./panes/WaterfallPane";

type Props = {
  pane: Pane;
  channels: Channel[];
  heard: boolean;
  frozen: boolean;
  /** Channels that the plots of the bench show; pressing a level bar adds or takes one away. */
  plotted: number[];
  onToggle: (input: number) => void;
  onSet: (part: Partial<Pane>) => void;
  onClose: () => void;
};

export function PaneFrame({ pane, channels, heard, frozen, plotted, onToggle, onSet, onClose }: Props) {
  const name = nameOf(pane.display);
  const shown = (pane.inputs ?? []).flatMap((i) => channels.find((c) => c.input === i) ?? []);
  const keys = (e: KeyboardEvent) => {
    if (e.target !== e.currentTarget) return;
    const by: Record<string, [number, number]> = {
      ArrowLeft: [-1, 0],
      ArrowRight: [1, 0],
      ArrowUp: [0, -1],
      ArrowDown: [0, 1],
    };
    const step = by[e.key];
    if (step && e.shiftKey) onSet({ w: pane.w + step[0], h: pane.h + step[1] });
    else if (step) onSet({ x: pane.x + step[0], y: pane.y + step[1] });
    else if (e.key === "Delete") onClose();
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  return (
    <section aria-label={name} className="panel flex h-full min-h-0 min-w-0 flex-col">
      <div
        role="toolbar"
        className="pane-head flex min-h-8 cursor-move items-center gap-3 px-3 text-[13px]"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: arrows move the display, Shift with arrows sizes it
        tabIndex={0}
        aria-label={`${name}: arrows move it, Shift with arrows sizes it, Delete closes it`}
        onKeyDown={keys}
      >
        <h2 className="font-semibold whitespace-nowrap">{name}</h2>
        <span className="pane-word min-w-0 flex-1 cursor-default truncate text-soft">
          <Words pane={pane} channels={channels} shown={shown} onSet={onSet} />
        </span>
        {pane.display === "bars" && (
          <Button look="link" className="pane-word text-[13px] font-normal!" onClick={() => orders.resetLevels()}>
            Reset
          </Button>
        )}
        <button type="button" aria-label={`Close ${name}`} className="pane-word hover:text-harbour" onClick={onClose}>
          ✕
        </button>
      </div>
      {heard || pane.display === "now" || pane.display === "limits" ? (
        <Guarded what={`The panel ${name}`} again={[pane]}>
          <Body {...{ pane, channels, shown, frozen, plotted, onToggle }} />
        </Guarded>
      ) : (
        <Empty says="No signal: no front end is connected. Choose one in the bar above." />
      )}
    </section>
  );
}

function Body(p: PaneProps & Pick<Props, "plotted" | "onToggle">) {
  const needs = !["bars", "now", "limits", "speed"].includes(p.pane.display);
  if (needs && p.shown.length === 0) return <Empty says="No channel is chosen here. Choose some in its head." />;
  switch (p.pane.display) {
    case "waveform":
      return <WaveformPane {...p} />;
    case "strip":
      return <StripPane {...p} />;
    case "spectrum":
      return <SpectrumPane {...p} />;
    case "bars":
      return <MeterBridge channels={p.channels} shown={p.plotted} onToggle={p.onToggle} />;
    case "numbers":
      return <NumbersPane {...p} />;
    case "table":
      return <TablePane {...p} />;
    case "speed":
      return <SpeedPane frozen={p.frozen} />;
    case "orbit":
      return p.shown.length < 2 ? (
        <Empty says="An orbit needs two channels, x and y. Choose them in its head." />
      ) : (
        <OrbitPane {...p} />
      );
    case "waterfall":
      return <WaterfallPane {...p} />;
    case "limits":
      return <LimitsPane />;
    case "now":
      return <NowPane />;
  }
}

/** What the display shows, as words that can be changed. */
function Words({ pane, channels, shown, onSet }: Omit<PaneProps, "frozen"> & { onSet: Props["onSet"] }) {
  const { id } = useCampaign();
  const hz = usePlan(id).data?.plan.sample_rate_hz ?? 0;
  const choice = <Channels channels={channels} inputs={pane.inputs ?? []} onSet={(inputs) => onSet({ inputs })} />;
  const seconds = (
    <ChosenWord
      label="Length"
      value={pane.seconds ?? 1}
      options={lengths.map((s) => ({ value: s, says: `${short(s)} s` }))}
      onSet={(seconds) => onSet({ seconds })}
    />
  );
  const unit = [...new Set(shown.map((c) => c.unit))].join(", ");
  // A block longer than what is kept of the last ten seconds can never fill.
  const fitting = blocks.filter((b) => hz === 0 || b <= hz * 4);
  const block = (
    <ChosenWord
      label="Block"
      value={pane.block ?? 4096}
      options={fitting.map((b) => ({ value: b, says: `${b}, lines ${short(hz / b, 3)} Hz apart`, face: String(b) }))}
      onSet={(block) => onSet({ block })}
    />
  );
  const top = [0.01, 0.02, 0.05, 0.1, 0.2, 0.4, 0.5].map((k) => Number((k * hz).toPrecision(2)));
  const toHz = (
    <ChosenWord
      label="Highest frequency"
      value={pane.to_hz ?? 0}
      options={[...new Set([...top, ...(pane.to_hz ? [pane.to_hz] : [])])]
        .sort((a, b) => a - b)
        .map((f) => ({ value: f, says: rate(f) }))
        .concat([{ value: 0, says: "full span" }])}
      onSet={(f) => onSet({ to_hz: f || null })}
    />
  );
  const motion = shown.every((c) => ["acceleration", "velocity", "displacement"].includes(c.quantity));
  const others = motion ? ["m/s²", "g", "mm/s", "µm"] : [];
  const units = (
    <ChosenWord
      label="Unit"
      value={pane.unit ?? ""}
      options={[{ value: "", says: unit }, ...others.filter((u) => u !== unit).map((u) => ({ value: u, says: u }))]}
      onSet={(u) => onSet({ unit: u || null })}
    />
  );
  const averages = (
    <ChosenWord
      label="Averages"
      value={pane.averages ?? 4}
      options={[1, 2, 4, 8, 16, 32].map((n) => ({
        value: n,
        says: `${n} ${n === 1 ? "block" : "blocks"}`,
      }))}
      onSet={(n) => onSet({ averages: n })}
    />
  );
  const band = pane.envelope_hz;
  const envelope = (
    <>
      {band && "envelope "}
      <RangeWord
        label="Envelope"
        what="the band of the envelope"
        value={band ? [band[0] ?? 0, band[1] ?? 0] : undefined}
        none="all"
        unit="Hz"
        above={0}
        high={hz / 2}
        onSet={(to) => onSet({ envelope_hz: to ?? null })}
      />
    </>
  );
  const says: Partial<Record<Pane["display"], ReactNode>> = {
    waveform: (
      <>
        the last {seconds} of {choice}, {unit}
      </>
    ),
    strip: (
      <>
        <ChosenWord
          label="Shown"
          value={pane.seconds ?? 0}
          options={[{ value: 0, says: "the whole recording" }].concat(
            windows.map((s) => ({ value: s, says: `the last ${s} s` })),
          )}
          onSet={(s) => onSet({ seconds: s || null })}
        />{" "}
        of {choice}, {unit}
      </>
    ),
    spectrum: (
      <>
        {envelope} {choice}, {averages} of {block} to {toHz}, Hann, {units} peak{" "}
        <button type="button" aria-pressed={pane.hold} className="word" onClick={() => onSet({ hold: !pane.hold })}>
          {pane.hold ? "with peak hold" : "no peak hold"}
        </button>
      </>
    ),
    waterfall: (
      <>
        {choice}, blocks of {block} to {toHz}, {unit} peak
      </>
    ),
    numbers: (
      <>
        rms of the last {seconds} of {choice}
      </>
    ),
    table: (
      <>
        of the last {seconds}, {choice}
      </>
    ),
    orbit: (
      <>
        the last {seconds} of {choice}, {unit}
      </>
    ),
    bars: "share of range, now and held; press a bar to plot its channel",
    speed: "first tachometer of the plan",
    limits: "watched quantities",
  };
  return says[pane.display] ?? null;
}

/** Channels chosen from a list; the order of choosing is the order shown. */
function Channels({
  channels,
  inputs,
  onSet,
}: {
  channels: Channel[];
  inputs: number[];
  onSet: (inputs: number[]) => void;
}) {
  const names = inputs.flatMap((i) => channels.find((c) => c.input === i)?.name ?? []);
  const face = names.length === 0 ? "no channel" : names.length > 2 ? `${names.length} channels` : names.join(" and ");
  return (
    <ChannelsWord
      label="Channels shown"
      face={face}
      inputs={inputs}
      channels={channels}
      onSet={onSet}
      width="max-w-72"
    />
  );
}
