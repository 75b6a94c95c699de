/** Overview, bench of lenses, channels and cursors of a run. */

import { useMemo, useState } from "react";
import type { Analysis, RunDetail } from "../../api/client";
import { useReport, useSaveReport } from "../../api/queries";
import { useGo } from "../../shell/address";
import { BenchGrid, closePanel, placed } from "../../ui/BenchGrid";
import { Explain } from "../../ui/Explain";
import { Guarded } from "../../ui/Guarded";
import { cursorMethods } from "../../ui/methods";
import { Panel as Sheet, Wrong } from "../../ui/Panel";
import type { Range } from "../../ui/plot/Plot";
import { Split } from "../../ui/Split";
import { TableMenu } from "../../ui/TableMenu";
import { withFigure } from "../report/blocks";
import { BenchBar } from "./BenchBar";
import { type Change, type Panel, ROWS } from "./bench";
import { ChannelList } from "./ChannelList";
import { CursorSlip } from "./cursors/CursorSlip";
import { clicked, marksOf } from "./cursors/clicks";
import { Notes } from "./cursors/Notes";
import { usePins } from "./cursors/usePins";
import { markerLines, useReadings } from "./cursors/useReadings";
import { KeepDialog } from "./KeepDialog";
import { LaidBar } from "./LaidBar";
import { useLaid } from "./laid";
import type { Recipe } from "./lens/fields";
import { LensPanel } from "./lens/LensPanel";
import { lensOf } from "./lens/lenses";
import { Overview } from "./overview/Overview";
import { corrected, recipeOf, rowOf, rowsOf } from "./rows";
import { useLook } from "./state";
import { TachoCorrection } from "./TachoCorrection";
import { Takes } from "./Takes";
import { useMarkers } from "./useMarkers";

const spectral = (p: Panel) =>
  p.recipe.lens === "spectrum" || (p.recipe.lens === "envelope" && p.recipe.output !== "waveform");

export function BenchView({ run, campaign }: { run: RunDetail; campaign: number | undefined }) {
  const [look, setLook] = useLook(run, campaign);
  const { bench } = look;
  const [trail, setTrail] = useState<{ bracket: Range[]; shown: Record<string, (Range | null)[]> }>({
    bracket: [],
    shown: {},
  });
  const [curve, setCurve] = useState(0);
  // The spectrum that was clicked last is the one the cursors read.
  const [active, setActive] = useState<number>();
  const [error, setError] = useState<Error>();
  const [keeping, setKeeping] = useState<object>();
  // What a figure is put into when it goes to the report.
  useReport(campaign);
  const save = useSaveReport(campaign);
  const go = useGo();

  const known = rowsOf(run).map((c) => c.channel);
  const wanted = look.channels.filter((c) => known.includes(c));
  const chosen = wanted.length ? wanted : known.slice(0, 1);
  const unit = rowOf(run, chosen[0] ?? 1)?.unit ?? "";
  const drawn = chosen.filter((c) => rowOf(run, c)?.unit === unit);
  const bracket: Range = look.bracket ?? [0, run.duration_s];
  const entries = corrected(run);
  const over = useLaid(run, bracket[0]);

  const markers = useMarkers(run, bracket);
  const { cursors } = look;
  const setCursors = (part: Partial<typeof cursors>) => setLook({ cursors: { ...cursors, ...part } });
  const lines = useMemo(() => markerLines(markers, cursors), [markers, cursors]);
  const touched = active === undefined ? undefined : bench.panels[active];
  const read = touched && spectral(touched) ? touched : bench.panels.find(spectral);
  const readChannels = read?.channels.length ? read.channels : drawn;
  const readBracket = look.kept.find((k) => k.name === read?.look.bracket)?.range ?? bracket;
  const at = Math.min(curve, Math.max(readChannels.length - 1, 0));
  const readings = useReadings(
    run.id,
    read && recipeOf(run, read.recipe, readChannels, readBracket),
    at,
    cursors,
    lines,
    entries,
    markers?.rpm ? markers.rpm / 60 : undefined,
  );
  const kept = (p: Panel) => look.kept.find((k) => k.name === p.look.bracket)?.range ?? bracket;
  // The one that is read stands first, so that a pin of no lens is read there.
  const spectra = [...(read ? [read] : []), ...bench.panels.filter((p) => spectral(p) && p !== read)].map((panel) => ({
    panel,
    channels: panel.channels.length ? panel.channels : drawn,
    bracket: kept(panel),
    within_hz: 2.5 * (run.sample_rate_hz / Number(panel.recipe.block ?? 4096)),
  }));
  const pins = usePins(run, cursors, spectra, entries);
  const places = pins.map((p) => p.line?.found_hz).join();
  // biome-ignore lint/correctness/useExhaustiveDependencies: setCursors follows cursors, and the places the pins
  const marks = useMemo(
    () => marksOf(cursors, pins, readings.data, lines, setCursors),
    [cursors, places, readings.data, lines],
  );

  const notes = useMemo(
    () => run.notes.map((n) => ({ x: n.place, says: n.says, axis: n.axis, lens: n.lens })),
    [run.notes],
  );
  const change = (panels: Panel[], name = bench.name) => setLook({ bench: { name, panels } });
  // Of the panel as it is now, also for what was typed a moment ago and is read only now.
  const set = (i: number, part: Change) =>
    setLook(({ bench }) => ({
      bench: {
        ...bench,
        panels: bench.panels.map((p, k) =>
          k === i ? placed({ ...p, ...(typeof part === "function" ? part(p) : part) }) : p,
        ),
      },
    }));
  const setBracket = (to: Range) => setLook({ bracket: [Math.max(0, to[0]), Math.min(run.duration_s, to[1])] });
  const zoomBracket = (to: Range) => {
    setTrail((t) => ({ ...t, bracket: [...t.bracket, bracket] }));
    setBracket(to);
  };
  const show = (axis: string, to: Range | null) => {
    setTrail((t) => ({ ...t, shown: { ...t.shown, [axis]: [...(t.shown[axis] ?? []), look.shown[axis] ?? null] } }));
    const clean: Range | null =
      to && axis === "frequency" ? [Math.max(0, to[0]), Math.min(run.sample_rate_hz / 2, to[1])] : to;
    setLook({ shown: { ...look.shown, [axis]: clean } });
  };
  const showBack = (axis: string) => {
    const before = trail.shown[axis] ?? [];
    const whole: Range | null = axis === "frequency" ? [0, run.sample_rate_hz * run.clean_share] : null;
    setLook({ shown: { ...look.shown, [axis]: before.length ? (before.at(-1) ?? null) : whole } });
    setTrail((t) => ({ ...t, shown: { ...t.shown, [axis]: before.slice(0, -1) } }));
  };
  const click = (i: number, hz: number, perPixel: number, result: Analysis) => {
    const own = bench.panels[i];
    const channels = own?.channels.length ? own.channels : drawn;
    const { part, curve: found } = clicked(cursors, result, hz, perPixel, channels[own === read ? at : 0]);
    // A family moves to where it is set; a peak leaves what is read as it is.
    if (cursors.tool !== "peak") setActive(i);
    if (found !== undefined) setCurve(found);
    setCursors(part);
  };
  const toReport = async (recipe: object) => {
    try {
      const { lens } = recipe as { lens: string };
      let block = 0;
      await save.mutateAsync((now) => {
        const shown = (lens === "spectrum" && look.shown.frequency) || null;
        const figure = { title: `${lensOf(lens).says}, run ${run.number}`, run_id: run.id, recipe, shown };
        const made = withFigure(now, figure);
        block = made.id;
        return made.body;
      });
      go(`/report?block=${block}`);
    } catch (e) {
      setError(e as Error);
    }
  };
  const names = readChannels.map((c) => rowOf(run, c)?.name ?? "");
  // The note is about the lens the cursors read, or the one that stands first.
  const noted = read ?? bench.panels[0];
  const spectralNote = noted !== undefined && spectral(noted);
  const tacho = markers?.tacho;
  const channels = (
    <div className="flex min-h-0 flex-1 flex-col gap-2">
      {run.takes.length > 0 && <Takes run={run} channel={drawn[0] ?? 1} bracket={bracket} onBracket={setBracket} />}
      <ChannelList run={run} chosen={chosen} drawn={drawn} unit={unit} onSet={(channels) => setLook({ channels })} />
    </div>
  );
  const slip = (
    <Sheet
      title="Cursors"
      says={names[at]}
      aside={
        <>
          {pins.length + lines.length + cursors.highest > 0 && <TableMenu name="readings" />}
          <Explain what="Cursors" titles={cursorMethods} />
        </>
      }
      className="flex-1"
    >
      <div className="min-h-0 flex-1 overflow-x-hidden overflow-y-auto px-3 pb-2">
        <Wrong error={readings.error} />
        {read ? (
          <CursorSlip
            cursors={cursors}
            pins={pins}
            onSet={setCursors}
            data={readings.data}
            unit={read.recipe.unit ?? unit}
            curves={names}
            curve={at}
            onCurve={setCurve}
            markers={markers}
            lines={lines}
            tacho={
              tacho && (
                <TachoCorrection
                  key={JSON.stringify(tacho)}
                  run={run}
                  tacho={tacho}
                  onTacho={(to) => change(bench.panels.map((p) => followed(p, to)))}
                />
              )
            }
          />
        ) : (
          <p className="text-[13px] text-soft">
            Cursors read a spectrum; there is none on this bench.{" "}
            {tacho && (
              <>
                The speed is told by the{" "}
                <TachoCorrection
                  key={JSON.stringify(tacho)}
                  run={run}
                  tacho={tacho}
                  onTacho={(to) => change(bench.panels.map((p) => followed(p, to)))}
                />
                .
              </>
            )}
          </p>
        )}
        {noted && (
          <div className="text-[13px]">
            <Notes
              run={run}
              lens={noted.recipe.lens}
              axis={spectralNote ? "frequency" : (axisOf[noted.recipe.lens] ?? "time")}
              unit={spectralNote ? "Hz" : axisOf[noted.recipe.lens] === "speed" ? "rpm" : "s"}
              channel={readChannels[at]}
              place={spectralNote ? (pins.at(-1)?.line?.found_hz ?? pins.at(-1)?.hz) : undefined}
            />
          </div>
        )}
      </div>
    </Sheet>
  );
  const lenses = (
    <div className="flex min-h-0 flex-1 flex-col gap-2">
      <BenchBar
        campaign={campaign}
        run={run}
        bench={bench}
        markers={markers}
        onBench={(b) => change(b.panels, b.name)}
      />
      <BenchGrid
        panels={bench.panels}
        rows={ROWS}
        onPanels={change}
        panel={(p, i) => (
          <Guarded what={`The panel ${lensOf(p.recipe.lens).says}`} again={[p]}>
            <LensPanel
              run={run}
              panel={p}
              markers={markers}
              chosen={drawn}
              bracket={bracket}
              kept={look.kept}
              laid={over.laid}
              shown={look.shown}
              marks={marks.filter((m) => !m.lens || m.lens === p.recipe.lens)}
              notes={notes}
              band={cursors.band}
              read={p === read && bench.panels.filter(spectral).length > 1}
              onSet={(part) => set(i, part)}
              onClose={() => closePanel(lensOf(p.recipe.lens).says, bench.panels, i, change)}
              onBracket={zoomBracket}
              onBracketBack={() => {
                setBracket(trail.bracket.at(-1) ?? [0, run.duration_s]);
                setTrail((t) => ({ ...t, bracket: t.bracket.slice(0, -1) }));
              }}
              onShown={show}
              onShownBack={showBack}
              onPoint={(hz, perPixel, result) => click(i, hz, perPixel, result)}
              onBand={(to) => (cursors.tool === "band" ? setCursors({ band: to }) : show("frequency", to))}
              onKeep={setKeeping}
              onReport={toReport}
            />
          </Guarded>
        )}
      >
        <Wrong error={error} />
      </BenchGrid>
    </div>
  );
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-2">
      <div>
        <Overview
          run={run}
          channel={drawn[0] ?? 1}
          bracket={bracket}
          kept={look.kept}
          onBracket={setBracket}
          onKept={(kept) => setLook({ kept })}
        />
        <LaidBar over={over} />
      </div>
      <Split
        id="study"
        label="Width of channels and cursors"
        size={27}
        least={18}
        most={50}
        first={lenses}
        second={
          <aside className="flex min-h-0 flex-1 flex-col">
            <Split
              id="study-right"
              label="Height of the cursors"
              upright
              size={58}
              least={20}
              first={channels}
              second={slip}
            />
          </aside>
        }
      />
      {keeping && (
        <KeepDialog
          campaign={campaign ?? 0}
          run={run}
          recipe={keeping as Recipe}
          onClose={() => setKeeping(undefined)}
        />
      )}
    </div>
  );
}

/** Axes of lenses that are not spectra, for their notes. */
const axisOf: Record<string, string> = { order_track: "speed", order_map: "speed" };

/** A lens that follows the shaft goes by the tachometer that was put right. */
const followed = (p: Panel, tacho: object): Panel => (p.recipe.tacho ? { ...p, recipe: { ...p.recipe, tacho } } : p);
