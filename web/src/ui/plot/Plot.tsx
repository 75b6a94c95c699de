/** A plot in time or frequency: drag to zoom, double-click back, wheel or two fingers at the pointer, Shift-drag to
 * bracket; the crosshair follows the pointer or the arrow keys, on every picture of the axis. The names of its axes
 * set scale and limits, and what is shown goes to the clipboard or a file. */
import { type ReactNode, type Ref, useEffect, useImperativeHandle, useMemo, useRef, useState } from "react";
import uPlot from "uplot";
import { useTheme } from "../theme";
import { AxisMenu } from "./AxisMenu";
import { aligned, options } from "./build";
import { crosshair, whereabouts } from "./crosshair";
import { drawEnvelopes, drawLevels, drawMarks, drawPin, readValues } from "./drawing";
import { fileOf, type PlotFile } from "./file";
import { follow } from "./pointer";
import { SaveMenu } from "./SaveMenu";
import { sentence } from "./sentence";
import type { Axes, Curve, Level, Mark, PlotHandle, Range } from "./types";

export { Legend } from "./Legend";
export type { Axes, Curve, Level, Mark, PlotHandle, Range } from "./types";

type Props = {
  label: string;
  x: ArrayLike<number>;
  curves: Curve[];
  /** Shown range; all when left out. */
  range?: Range | undefined;
  /** Name and unit of the axis, as “time, s”; pictures whose axis has the same name share their crosshair. */
  xLabel: string;
  /** The same where nothing is written below the picture. */
  axis?: string;
  /** Name and unit of what the curves show. */
  yLabel?: string | undefined;
  logY?: boolean;
  logX?: boolean;
  /** Scales and limits that were chosen; the plot keeps them itself where nobody else does. */
  axes?: Axes | undefined;
  onAxes?: ((to: Axes) => void) | undefined;
  /** Whether decades make sense upward: not for phases and decibels. */
  oneScale?: boolean;
  /** What else is set at the vertical axis. */
  yWords?: ReactNode;
  /** A stretch of the axis that is marked. */
  band?: Range | undefined;
  marks?: Mark[];
  levels?: Level[];
  yMin?: number | undefined;
  /** What is saved or copied; what is on the screen where left out, nothing where there is none. */
  file?: (() => PlotFile | Promise<PlotFile>) | null | undefined;
  onZoom?: (to: Range) => void;
  onBack?: () => void;
  onBracket?: (to: Range) => void;
  /** A click at a place, with how much one pixel is. */
  onPoint?: (x: number, perPixel: number) => void;
  handle?: Ref<PlotHandle>;
};

const NONE: never[] = [];

/** Name and unit of the axis. */
function axisOf(p: Props): [string, string] {
  const [name = "", unit = ""] = (p.axis ?? p.xLabel).split(", ");
  return [name, unit];
}

export function Plot(props: Props) {
  const host = useRef<HTMLDivElement>(null);
  const readout = useRef<HTMLSpanElement>(null);
  const plot = useRef<uPlot>(undefined);
  const theme = useTheme();
  const [own, setOwn] = useState<Axes>({});
  const [zoomed, setZoomed] = useState<Range>();
  const [told, setTold] = useState("");
  const { curves, xLabel, yLabel = "", handle, onAxes = setOwn } = props;
  const set = props.axes ?? own;
  const logX = set.logX ?? props.logX ?? false;
  const logY = set.logY ?? props.logY ?? false;
  // Where nobody keeps what is shown of the axis, limits typed at its name are kept here.
  const range = props.range ?? zoomed;
  const now = { ...props, range, y: set.y, levels: props.levels ?? NONE };
  const latest = useRef(now);
  latest.current = now;
  // What is drawn now: live pictures bring their own.
  const drawn = useRef({ x: props.x, curves });
  const shape = curves.map((c) => `${c.name}|${c.low !== undefined}|${c.spans}|${c.steps}|${c.pale}`).join(";");

  // biome-ignore lint/correctness/useExhaustiveDependencies: the picture is made anew only when its shape changes
  useEffect(() => {
    const el = host.current;
    if (!el) return;
    const current = () => latest.current;
    const axis = () => axisOf(current());
    const built = {
      curves,
      logX,
      logY,
      degrees: yLabel.endsWith("°"),
      now: () => {
        const { range, y, yMin, levels, xLabel } = current();
        return { x: drawn.current.x, range, y, yMin, levels, xLabel };
      },
      hooks: {
        drawAxes: [(p: uPlot) => drawEnvelopes(p, drawn.current.curves)],
        draw: [
          (p: uPlot) => {
            drawLevels(p, current().levels);
            drawMarks(p, current().marks ?? NONE, current().band);
            drawPin(p, crosshair.pinned(axis()[0]));
          },
        ],
      },
    };
    const u = new uPlot(options(el, built), aligned(drawn.current.x, drawn.current.curves, logY), el);
    plot.current = u;
    let pin: number | undefined;
    let shown = false;
    const read = () => {
      const [name, unit] = axis();
      const at = crosshair.at(name);
      const { min, max } = u.scales.x ?? {};
      const seen = at !== undefined && at >= (min ?? 0) && at <= (max ?? 0);
      if (pin !== crosshair.pinned(name)) u.redraw(false, false);
      pin = crosshair.pinned(name);
      // It moves with every pixel of the pointer: pictures of other axes have nothing to do.
      if (!seen && !shown) return;
      shown = seen;
      u.setCursor(seen ? { left: u.valToPos(at, "x"), top: 0 } : { left: -10, top: -10 }, false);
      // On the side where the crosshair is not.
      const aside = at !== undefined && u.valToPos(at, "x") > u.over.clientWidth / 2;
      readout.current?.classList.toggle("right-3", !aside);
      readout.current?.classList.toggle("left-18", aside);
      readout.current?.replaceChildren(
        ...(seen ? [whereabouts(name, unit), ...readValues(u, drawn.current.curves, at)].flatMap((p) => [p, " "]) : []),
      );
    };
    const unfollow = crosshair.follow(read);
    const acts = () => {
      const { marks = NONE, onZoom, onBack, onBracket, onPoint } = current();
      return { axis: axis()[0], marks, onZoom, onBack, onBracket, onPoint };
    };
    const unhand = follow(u, el, acts);
    const watch = new ResizeObserver(() => u.setSize({ width: el.clientWidth, height: el.clientHeight }));
    watch.observe(el);
    return () => {
      watch.disconnect();
      unfollow();
      unhand();
      u.destroy();
      plot.current = undefined;
    };
  }, [shape, logY, logX, props.yMin, theme]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: a picture made anew for other colours has no data yet
  useEffect(() => {
    // A live picture keeps what it drew last.
    if (props.x.length > 0 || drawn.current.x.length === 0) drawn.current = { x: props.x, curves: props.curves };
    plot.current?.setData(aligned(drawn.current.x, drawn.current.curves, logY));
  }, [props.x, props.curves, logY, theme]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: range, limits and marks are read when drawing
  useEffect(() => {
    plot.current?.redraw(false, true);
    const [lo, hi] = range ?? [undefined, undefined];
    if (lo !== undefined && hi !== undefined) plot.current?.setScale("x", { min: lo, max: hi });
    else plot.current?.setData(plot.current.data);
  }, [
    range?.[0],
    range?.[1],
    set.y?.[0],
    set.y?.[1],
    props.levels,
    props.marks,
    props.band?.[0],
    props.band?.[1],
    theme,
  ]);

  useImperativeHandle(handle, () => ({
    draw: (x, next) => {
      drawn.current = { x, curves: next };
      plot.current?.setData(aligned(x, next, logY));
    },
  }));

  const shown = () =>
    fileOf({
      label: props.label,
      ...drawn.current,
      xLabel: props.xLabel || (props.axis ?? ""),
      yLabel,
      levels: props.levels ?? NONE,
      marks: props.marks ?? NONE,
      range,
      axes: { ...set, logX, logY },
      box: [host.current?.clientWidth ?? 1, host.current?.clientHeight ?? 1],
    });
  const live = handle !== undefined;
  const inWords = () =>
    sentence(props.label, drawn.current.x, drawn.current.curves, props.xLabel || (props.axis ?? ""), yLabel);
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is drawn follows x and curves
  const says = useMemo(
    () => (live ? "" : sentence(props.label, props.x, curves, props.xLabel || (props.axis ?? ""), yLabel)),
    [live, props.x, curves, yLabel],
  );
  const limits =
    props.onZoom && props.range
      ? (to: Range | undefined) => (to ? props.onZoom?.(to) : props.onBack?.())
      : live
        ? undefined
        : setZoomed;
  return (
    <div className="relative min-h-0 flex-1">
      <div
        ref={host}
        role="img"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: arrows move the crosshair over the picture
        tabIndex={0}
        aria-label={props.label}
        aria-description={live ? told : says}
        // What is live is told as it stood when it was reached.
        onFocus={() => live && setTold(inWords())}
        className="absolute inset-0"
      />
      <span
        ref={readout}
        className="num pointer-events-none absolute top-1 right-3 flex gap-x-2 bg-sheet/85 px-1 text-[11px] leading-4 whitespace-pre"
      />
      {xLabel && (
        <AxisMenu
          says={xLabel}
          which="horizontal"
          log={logX}
          onLog={live ? undefined : (to) => onAxes({ ...set, logX: to })}
          limits={range}
          onLimits={limits}
        />
      )}
      {yLabel && (
        <AxisMenu
          says={yLabel}
          which="vertical"
          log={logY}
          // Where more is set here, the scale is among it.
          onLog={props.oneScale || props.yWords ? undefined : (to) => onAxes({ ...set, logY: to })}
          limits={set.y}
          onLimits={(y) => {
            const { y: _, ...rest } = set;
            onAxes(y ? { ...rest, y } : rest);
          }}
        >
          {props.yWords}
        </AxisMenu>
      )}
      {props.file !== null && <SaveMenu label={props.label} file={props.file ?? shown} />}
    </div>
  );
}
