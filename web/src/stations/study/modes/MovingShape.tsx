/** A shape that moves: played or held, larger or smaller, over the structure at rest; saved as a picture of four phases
 * or as a film. */
import { Suspense, useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { Schema } from "../../../api/client";
import { useKeys } from "../../../shell/keys";
import { later } from "../../../shell/later";
import { Button } from "../../../ui/Button";
import { Panel } from "../../../ui/Panel";
import { ChosenWord } from "../../../ui/Word";
import type { PictureHandle } from "../../rig/specimen/Picture";
import { filmed, phases, save } from "./film";
import { type Course, places, placesAt } from "./motion";

const Picture = later(() => import("../../rig/specimen/Picture"), "Picture");

type Props = {
  geometry: Schema["Geometry"];
  /** Shapes that are shown, side by side where there are several. */
  motions: Schema["Motion"][];
  /** Instead of a shape that turns: what was measured, moment after moment. */
  course?: Course | undefined;
  says: string;
  /** How many shapes there are, and how many of them are shown at once. */
  count: number;
  atOnce?: number;
  onAtOnce?: (n: number) => void;
  onStep: (by: number) => void;
  /** What each shape that is shown is called. */
  names?: string[];
  /** How badly the modes explain each point, as a token of colour; empty where nobody measured. */
  missed?: string[] | undefined;
  /** Under which its point of view is kept. */
  view: string;
};

/** Seconds in which a course is played once at speed 1. */
const ONCE = 12;

export function MovingShape(p: Props) {
  const { geometry, motions, course, says, count, atOnce = 1, onStep } = p;
  const pictures = useRef<(PictureHandle | null)[]>([]);
  const first = () => pictures.current[0]?.canvas();
  const [playing, setPlaying] = useState(true);
  const [size, setSize] = useState(1);
  const [speed, setSpeed] = useState(1);
  const [behind, setBehind] = useState(true);
  const [arrows, setArrows] = useState(false);
  const [contour, setContour] = useState(true);
  const [still, setStill] = useState(false);
  const [marked, setMarked] = useState(false);
  const [filming, setFilming] = useState(false);
  const turn = useRef(0);
  const slider = useRef<HTMLInputElement>(null);
  const moment = useRef<HTMLSpanElement>(null);
  const frames = course?.seconds.length ?? 0;
  const draw = useCallback(
    (angle: number) => {
      // A course runs through once where a shape turns once.
      const turns = angle / (2 * Math.PI);
      const frame = Math.min(Math.floor((turns - Math.floor(turns)) * frames), frames - 1);
      const all = course
        ? [placesAt(geometry, course, frame, { size, still })]
        : motions.map((motion) => places(geometry, motion, { angle, size, still }));
      for (const [k, { at, far }] of all.entries()) pictures.current[k]?.move(at, contour ? far : undefined);
      if (slider.current) slider.current.value = String(frame);
      if (moment.current) moment.current.textContent = `${(course?.seconds[frame] ?? 0).toFixed(4)} s`;
    },
    [geometry, motions, course, frames, size, still, contour],
  );
  useEffect(() => {
    if (motions.length === 0 && !course) return;
    let frame = 0;
    let before = performance.now();
    const tick = (now: number) => {
      const pace = course ? (2 * Math.PI) / ONCE : Math.PI * 1.2;
      if (playing) turn.current += ((now - before) / 1000) * speed * pace;
      before = now;
      draw(turn.current);
      frame = requestAnimationFrame(tick);
    };
    if (playing) frame = requestAnimationFrame(tick);
    else draw(course ? turn.current : 0);
    return () => cancelAnimationFrame(frame);
  }, [playing, speed, draw, motions, course]);
  useKeys("Moving shape", [
    { key: "Space", says: "Play or hold the shape", run: () => setPlaying((p) => !p) },
    { key: "ArrowUp", says: "The mode before", run: () => onStep(-1) },
    { key: "ArrowDown", says: "The next mode", run: () => onStep(1) },
  ]);
  const name = `shape ${motions[0]?.mode || ""}`.trim();
  const measured = course?.measured ?? motions[0]?.measured;
  // Rings where nobody measured.
  const tones = useMemo(
    () => measured?.map((m, k) => (m ? ((marked && p.missed?.[k]) ?? "") || "" : "open")),
    [measured, marked, p.missed],
  );
  const shown = course ? 1 : Math.max(motions.length, 1);
  const narrow = "w-16 align-middle";
  return (
    <Panel
      title="Shape"
      says={
        <>
          {says}{" "}
          {count > 1 && (
            <span title="another mode">
              <kbd>↑</kbd> <kbd>↓</kbd>
            </span>
          )}
        </>
      }
      aside={
        <>
          <Button
            look="link"
            className="text-[13px]"
            onClick={async () => {
              setPlaying(false);
              save(await phases(first(), draw), `${name}, four phases.png`);
            }}
          >
            Four phases
          </Button>
          <Button
            look="link"
            className="text-[13px]"
            disabled={filming}
            onClick={async () => {
              setFilming(true);
              setPlaying(false);
              try {
                save(await filmed(first(), draw), `${name}.webm`);
              } finally {
                setFilming(false);
              }
            }}
          >
            {filming ? "Filming …" : "Film"}
          </Button>
        </>
      }
    >
      {(geometry.points ?? []).length === 0 ? (
        <p className="m-auto max-w-80 p-4 text-center text-soft">
          The shapes move when the specimen has points: Rig, Specimen. Their names must be those of the responses.
        </p>
      ) : (
        <Suspense fallback={<div className="flex-1" />}>
          <div className={`grid min-h-0 flex-1 ${shown > 1 ? "grid-cols-2" : ""} ${shown > 2 ? "grid-rows-2" : ""}`}>
            {Array.from({ length: shown }, (_, k) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: places of the grid have no other names
              <div key={k} className="relative flex min-h-0 min-w-0">
                {shown > 1 && <span className="num absolute top-1 left-3 text-[12px] text-mark">{p.names?.[k]}</span>}
                <Picture
                  geometry={geometry}
                  label={`Shape that moves: ${p.names?.[k] ?? says}`}
                  behind={behind}
                  arrows={arrows}
                  names={false}
                  view={`view ${p.view}`}
                  {...(tones ? { tones } : {})}
                  handle={(h: PictureHandle | null) => {
                    pictures.current[k] = h;
                  }}
                />
              </div>
            ))}
          </div>
        </Suspense>
      )}
      <div className="flex flex-wrap items-center gap-x-3 gap-y-0.5 border-t border-rule px-3 py-1 text-[12px]">
        <Button className="h-6!" hint="Space" aria-pressed={playing} onClick={() => setPlaying(!playing)}>
          {playing ? "Hold" : "Play"}
        </Button>
        {course && (
          <label>
            moment{" "}
            <input
              ref={slider}
              aria-label="Moment"
              className={narrow}
              type="range"
              min="0"
              max={Math.max(frames - 1, 0)}
              onChange={(e) => {
                setPlaying(false);
                turn.current = ((Number(e.target.value) + 0.5) / Math.max(frames, 1)) * 2 * Math.PI;
                draw(turn.current);
              }}
            />{" "}
            <span ref={moment} className="num" />
          </label>
        )}
        <label>
          amplitude{" "}
          <input
            className={narrow}
            type="range"
            min="0.1"
            max="3"
            step="0.1"
            value={size}
            onChange={(e) => setSize(Number(e.target.value))}
          />
        </label>
        <label>
          speed{" "}
          <input
            className={narrow}
            type="range"
            min="0.1"
            max="3"
            step="0.1"
            value={speed}
            onChange={(e) => setSpeed(Number(e.target.value))}
          />
        </label>
        {(
          [
            ["at rest", "the structure at rest, behind", behind, setBehind],
            ["arrows", "how far each point has moved", arrows, setArrows],
            ["colour", "coloured by how far each point goes", contour, setContour],
            ["unmeasured still", "points that nobody measured stay still", still, setStill],
            ...(p.missed ? [["missed", "how badly the modes explain each point", marked, setMarked] as const] : []),
          ] as const
        ).map(([label, title, on, set]) => (
          <label key={label} title={title} className="flex items-center gap-1 whitespace-nowrap">
            <input type="checkbox" checked={on} onChange={(e) => set(e.target.checked)} />
            {label}
          </label>
        ))}
        {count > 1 && p.onAtOnce && (
          <ChosenWord
            label="Shapes at once"
            value={atOnce}
            options={[
              { value: 1, says: "one shape" },
              { value: 2, says: "two side by side" },
              { value: 4, says: "four side by side" },
            ]}
            onSet={p.onAtOnce}
          />
        )}
      </div>
    </Panel>
  );
}
