/** A shape that moves: played or held, larger or smaller, over the structure at rest; saved as a picture of four phases
 * or as a film. */
import { Suspense, useCallback, useEffect, useRef, useState } from "react";
import type { Schema } from "../../../api/client";
import { useKeys } from "../../../shell/keys";
import { later } from "../../../shell/later";
import { Button } from "../../../ui/Button";
import { Panel } from "../../../ui/Panel";
import type { PictureHandle } from "../../rig/specimen/Picture";
import { filmed, phases, save } from "./film";
import { places } from "./motion";

const Picture = later(() => import("../../rig/specimen/Picture"), "Picture");

type Props = {
  geometry: Schema["Geometry"];
  motion: Schema["Motion"] | undefined;
  says: string;
  count: number;
  onStep: (by: number) => void;
};

export function MovingShape({ geometry, motion, says, count, onStep }: Props) {
  const picture = useRef<PictureHandle>(null);
  const [playing, setPlaying] = useState(true);
  const [size, setSize] = useState(1);
  const [speed, setSpeed] = useState(1);
  const [behind, setBehind] = useState(true);
  const [arrows, setArrows] = useState(false);
  const [contour, setContour] = useState(true);
  const [still, setStill] = useState(false);
  const [filming, setFilming] = useState(false);
  const turn = useRef(0);
  const draw = useCallback(
    (angle: number) => {
      if (!motion) return;
      const { at, far } = places(geometry, motion, { angle, size, still });
      picture.current?.move(at, contour ? far : undefined);
    },
    [geometry, motion, size, still, contour],
  );
  useEffect(() => {
    if (!motion) return;
    let frame = 0;
    let before = performance.now();
    const tick = (now: number) => {
      if (playing) turn.current += ((now - before) / 1000) * speed * Math.PI * 1.2;
      before = now;
      draw(turn.current);
      frame = requestAnimationFrame(tick);
    };
    if (playing) frame = requestAnimationFrame(tick);
    else draw(0);
    return () => cancelAnimationFrame(frame);
  }, [playing, speed, draw, motion]);
  useKeys("Moving shape", [
    { key: "Space", says: "Play or hold the shape", run: () => setPlaying((p) => !p) },
    { key: "ArrowUp", says: "The mode before", run: () => onStep(-1) },
    { key: "ArrowDown", says: "The next mode", run: () => onStep(1) },
  ]);
  const name = `shape ${motion?.mode ?? ""}`.trim();
  const slider = "w-24 align-middle";
  return (
    <Panel title="Shape" says={says}>
      {(geometry.points ?? []).length === 0 ? (
        <p className="m-auto max-w-80 p-4 text-center text-soft">
          The shapes move when the specimen has points: Rig, Specimen. Their names must be those of the responses.
        </p>
      ) : (
        <Suspense fallback={<div className="flex-1" />}>
          <Picture
            geometry={geometry}
            label={`Shape that moves: ${says}`}
            behind={behind}
            arrows={arrows}
            names={false}
            handle={picture}
          />
        </Suspense>
      )}
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1 border-t border-rule px-3 py-1 text-[13px]">
        <Button hint="Space" aria-pressed={playing} onClick={() => setPlaying(!playing)}>
          {playing ? "Hold" : "Play"}
        </Button>
        <label>
          amplitude{" "}
          <input
            className={slider}
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
            className={slider}
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
            ["at rest behind", behind, setBehind],
            ["arrows", arrows, setArrows],
            ["colour by motion", contour, setContour],
            ["not measured stays still", still, setStill],
          ] as const
        ).map(([label, on, set]) => (
          <label key={label} className="flex items-center gap-1 whitespace-nowrap">
            <input type="checkbox" checked={on} onChange={(e) => set(e.target.checked)} />
            {label}
          </label>
        ))}
        <span className="whitespace-nowrap text-soft">
          <kbd>↑</kbd> <kbd>↓</kbd> {count > 1 ? "another mode" : ""}
        </span>
        <span className="ml-auto" />
        <Button
          look="link"
          className="text-[13px]"
          onClick={async () => {
            setPlaying(false);
            save(await phases(picture.current?.canvas(), draw), `${name}, four phases.png`);
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
              save(await filmed(picture.current?.canvas(), draw), `${name}.webm`);
            } finally {
              setFilming(false);
            }
          }}
        >
          {filming ? "Filming …" : "Film"}
        </Button>
      </div>
    </Panel>
  );
}
