/** A lens that is computed: its sentence, its picture, how far it is, what it refuses. */
import { keepPreviousData, useQueries } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import type { Analysis, Refused } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { Computing } from "../../../ui/Computing";
import { withUnit } from "../../../ui/format";
import { Empty, Wrong } from "../../../ui/Panel";
import type { Range } from "../../../ui/plot/Plot";
import { ChosenWord } from "../../../ui/Word";
import { lookedAt, type PanelLook } from "../bench";
import { recipeOf } from "../rows";
import { Curves } from "./Curves";
import { Cuts } from "./Cuts";
import { fitting } from "./fields";
import { LookWords, MAPS, ScaleWords } from "./LookWords";
import { lensOf, put } from "./lenses";
import { MapBody } from "./MapBody";
import { NumbersBody } from "./NumbersBody";
import { OrbitBody } from "./OrbitBody";
import { type Overlaid, overlaid } from "./overlay";
import { Prepare, type Step } from "./Prepare";
import type { Shared } from "./panelProps";
import { Sentence, UnitWord } from "./Sentence";
import { TableBody } from "./TableBody";
import { askResult, resultKey, useResult } from "./useResult";

/** Points an axis of a picture needs at most. */
const MOST = 2400;
/** The same of a map, whose cells are all sent. */
const MOST_OF_MAP = 900;
/** Lenses that run along speed or time. */
const ALONG = ["order_map", "order_track", "spectrogram"];
/** The axis along which a lens is zoomed, where that is not time. */
const axesOf: Record<string, string> = {
  spectrum: "frequency",
  envelope: "frequency",
  cross: "frequency",
  spectrogram: "frequency",
};

export function LensResult(p: Shared) {
  const { run, panel, channels, unit, bracket } = p;
  const kind = lensOf(panel.recipe.lens);
  const recipe = useMemo(() => recipeOf(run, panel.recipe, channels, bracket), [run, panel.recipe, channels, bracket]);
  const steps = (panel.recipe.prepare ?? []) as Step[];
  const rate = (steps.findLast((s) => s.do === "resample")?.rate_hz as number | undefined) ?? run.sample_rate_hz;
  const held = Math.floor((bracket[1] - bracket[0]) * rate);
  const block = panel.recipe.block as number | undefined;
  const short = block !== undefined && block > held;
  // Only what is shown comes here, so that a zoom is as sharp as the whole.
  const axisName = axesOf[kind.lens];
  const zoom = axisName ? p.shown[axisName] : undefined;
  const most = MAPS.includes(kind.lens) ? MOST_OF_MAP : MOST;
  const shown = zoom ? { low: zoom[0], high: zoom[1] } : {};
  const query = { most, ...shown };
  const result = useResult(run, { recipe, query }, !short && channels.length > 0);
  const wished = p.laid.map(({ run: other, shift_s }) => {
    const [a, b] = [Math.max(bracket[0] + shift_s, 0), Math.min(bracket[1] + shift_s, other.duration_s)];
    const wish = { recipe: { ...recipe, stretch: { from_s: a, to_s: b } }, query: { ...query, numbered_as: run.id } };
    return { other, shift_s, wish, there: b > a };
  });
  const others = useQueries({
    queries: wished.map(({ other, wish, there }) => {
      return {
        queryKey: resultKey(other, wish),
        enabled: !short && there && channels.length > 0,
        retry: false,
        placeholderData: keepPreviousData,
        queryFn: ({ signal }: { signal: AbortSignal }) => askResult(other.id, wish, signal),
      };
    }),
  });
  const set = (key: string, value: unknown) => {
    p.onSet((now) => {
      const next = put(now.recipe, key, value);
      return { recipe: kind.completed?.(next, now.recipe, run, p.markers) ?? next };
    });
  };
  const parts = typeof kind.sentence === "function" ? kind.sentence(panel.recipe) : kind.sentence;
  const own = result.data?.recipe.lens === panel.recipe.lens ? result.data : undefined;
  const over = p.laid.flatMap((l, i) => {
    const found = others[i]?.data as Analysis | undefined;
    return found?.recipe.lens === panel.recipe.lens
      ? [{ says: `run ${l.run.number}`, result: found, shift_s: l.shift_s }]
      : [];
  });
  const ages = over.map((o) => o.result.made.at + o.shift_s).join();
  // biome-ignore lint/correctness/useExhaustiveDependencies: the ages stand for the results laid over
  const now = useMemo(() => own && overlaid(own, `run ${run.number}`, over), [own, ages, run.number]);
  // Every point of what is shown, for files: a picture needs fewer.
  const whole = async () => {
    const every = await askResult(run.id, { recipe, query: shown });
    const laid = wished.filter((w) => w.there);
    const behind = await Promise.all(
      laid.map(async ({ other, shift_s, wish }) => {
        const result = await askResult(other.id, { ...wish, query: { ...shown, numbered_as: run.id } });
        return { says: `run ${other.number}`, result, shift_s };
      }),
    );
    return overlaid(every, `run ${run.number}`, behind);
  };
  const first = now?.traces[0];
  const follows = [
    first && kind.lens !== "orbit" && `${first.quantity}, ${first.unit || "1"}`,
    kind.follows?.(run, panel.recipe, now),
    panel.recipe.unit && ["mm/s", "µm"].includes(panel.recipe.unit) && now
      ? `integrated above ${withUnit(now.recipe.integrate_above_hz, "Hz", 2)}`
      : "",
  ]
    .filter(Boolean)
    .join("; ");
  return (
    <>
      <p className="px-3 text-[13px] leading-6">
        <Sentence run={run} parts={parts} recipe={panel.recipe} unit={unit} onSet={set} />
        <LookWords panel={panel} onSet={p.onSet} />. <span className="text-soft">{follows && `${follows}. `}</span>
        <Prepare steps={steps} rate={run.sample_rate_hz} onSet={(prepare) => set("prepare", prepare)} />
        <Computing of={result} />
      </p>
      {now?.cautions.slice(0, 2).map((c) => (
        <p key={c.says} className="px-3 text-[12px] leading-4 text-lamp">
          ▲ {c.says}
        </p>
      ))}
      {p.laid.map((l, i) =>
        others[i]?.error ? (
          <p key={l.run.id} className="px-3 text-[12px] leading-4 text-lamp">
            ▲ Run {l.run.number} is not laid over: {(others[i]?.error as Error | null)?.message}
          </p>
        ) : null,
      )}
      {!short && result.error && (
        <>
          <Wrong error={result.error} />
          {(result.error as Refused).field?.startsWith("tacho") && (
            <p className="px-3 text-[13px] text-soft">Choose the channel with the pulses in the sentence above.</p>
          )}
        </>
      )}
      {short ? (
        <Empty
          says={`The bracket holds ${held.toLocaleString("en-GB").replaceAll(",", "\u202f")} samples; a block of ${block} does not fit into it.`}
        >
          <Button onClick={() => set("block", fitting(1, Math.max(held / 2, 128)))}>Take a shorter block</Button>
          <Button look="link" onClick={() => p.onBracket([0, run.duration_s])}>
            Bracket the whole run
          </Button>
        </Empty>
      ) : now && own && !result.error ? (
        <Body {...p} own={own} result={now} recipe={recipe} whole={whole} />
      ) : (
        <div className="flex-1" />
      )}
    </>
  );
}

type BodyProps = Shared & {
  own: Analysis;
  result: Overlaid;
  recipe: { lens: string };
  whole: () => Promise<Overlaid>;
};

function Body(p: BodyProps) {
  const { panel, result, run } = p;
  const kind = lensOf(panel.recipe.lens);
  const look = { scale: kind.scale ?? ("linear" as const), ...panel.look };
  const onLook = (part: Partial<PanelLook>) => p.onSet(lookedAt(part));
  const yWords = (
    <p>
      scale <ScaleWords look={look} onSet={onLook} />
      {kind.unit && (
        <>
          {" "}
          in{" "}
          <UnitWord
            unit={p.unit}
            value={panel.recipe.unit}
            onSet={(u) => p.onSet((now) => ({ recipe: put(now.recipe, "unit", u) }))}
          />
        </>
      )}
    </p>
  );
  const axis = result.axes.at(-1);
  const name = axis?.name ?? "";
  const time = name === "time";
  const range = time ? p.bracket : (p.shown[name] ?? undefined);
  const onZoom = (to: Range) => (time ? p.onBracket(to) : p.onShown(name, to));
  const onBack = () => (time ? p.onBracketBack() : p.onShownBack(name));
  const notes = p.notes.filter((n) => n.axis === name && n.lens === kind.lens);
  const [first] = result.axes;
  if (ALONG.includes(kind.lens) && first?.name === "speed" && first.values.length < 2)
    return (
      <Empty says="The speed hardly changes in the bracket: along speed there is one place. Along time there are many.">
        <Button onClick={() => p.onSet({ recipe: put(panel.recipe, "along", "time") })}>Take it along time</Button>
      </Empty>
    );
  if (result.traces.length === 0) return <NumbersBody result={result} run={run} />;
  if (kind.lens === "orbit") return <OrbitBody result={p.own} />;
  if (result.axes.length === 2) {
    const n = (result.axes[0]?.values.length ?? 0) * (result.axes[1]?.values.length ?? 0);
    const flat = result.traces.filter((t) => t.values.length !== n);
    if (kind.lens === "rainflow" && !look.by_mean) {
      const one = { ...result, axes: result.axes.slice(0, 1) };
      return (
        <Curves
          label="Ranges"
          result={one}
          traces={flat}
          look={look}
          onLook={onLook}
          steps
          onZoom={onZoom}
          onBack={onBack}
          legend
        />
      );
    }
    return <Maps {...p} look={look} maps={result.traces.filter((t) => t.values.length === n)} />;
  }
  if (look.view === "table") return <TableBody result={result} traces={result.traces} range={range} />;
  if (result.traces.some((t) => t.re))
    return (
      <Cuts
        run={run.id}
        recipe={p.recipe}
        own={p.own}
        result={result}
        look={look}
        onLook={onLook}
        yWords={yWords}
        whole={p.whole}
        range={range}
        onZoom={onZoom}
        onBack={onBack}
        onBracket={time ? p.onBracket : onZoom}
      />
    );
  const spectral = kind.lens === "spectrum" || (kind.lens === "envelope" && name === "frequency");
  return (
    <Curves
      label={`${kind.says} of the bracket`}
      result={result}
      traces={result.traces}
      look={look}
      onLook={onLook}
      yWords={yWords}
      whole={p.whole}
      steps={kind.steps ?? false}
      {...(kind.logX ? { logX: true } : {})}
      range={range}
      legend
      onZoom={onZoom}
      onBack={onBack}
      marks={spectral ? [...p.marks, ...notes] : notes}
      {...(spectral
        ? {
            band: p.band ?? undefined,
            onPoint: (x: number, pixel: number) => p.onPoint(x, pixel, p.own),
            onBracket: p.onBand,
          }
        : time
          ? { onBracket: p.onBracket }
          : {})}
    />
  );
}

/** One map at a time; which, a word chooses. */
function Maps(p: BodyProps & { look: PanelLook; maps: Analysis["traces"] }) {
  const [at, setAt] = useState(0);
  const map = p.maps[at] ?? p.maps[0];
  const columns = p.result.axes[1]?.name ?? "";
  if (!map) return null;
  return (
    <MapBody
      chooser={
        p.maps.length > 1 && (
          <ChosenWord
            label="Channel of the map"
            value={at}
            options={p.maps.map((m, i) => ({ value: i, says: m.name }))}
            onSet={setAt}
          />
        )
      }
      label={`${lensOf(p.panel.recipe.lens).says} of ${map.name}`}
      result={p.result}
      trace={map}
      look={p.look}
      onLook={(part) => p.onSet(lookedAt(part))}
      whole={p.whole}
      range={p.shown[columns] ?? undefined}
      onZoom={(to) => p.onShown(columns, to)}
      onBack={() => p.onShownBack(columns)}
    />
  );
}
