/** The name of an axis; a click sets its scale and limits. */
import { type ReactNode, useRef, useState } from "react";
import { RangeWord } from "../EntryWord";
import { digits } from "../format";
import { Slip } from "../Slip";
import { ChosenWord } from "../Word";
import type { Range } from "./types";

type Props = {
  /** Name and unit, as “time, s”. */
  says: string;
  /** Which of both, for people who do not see where it stands. */
  which: "horizontal" | "vertical";
  /** Whether it runs in decades, and how that is changed. */
  log: boolean;
  onLog?: ((log: boolean) => void) | undefined;
  /** Limits; none where they fit what is there. */
  limits: Range | undefined;
  onLimits?: ((to: Range | undefined) => void) | undefined;
  /** Where a horizontal one ends, px from the right. */
  right?: number;
  /** What else is set here: unit, reference of dB. */
  children?: ReactNode;
};

export function AxisMenu({ says, which, log, onLog, limits, onLimits, right = 8, children }: Props) {
  const [open, setOpen] = useState(false);
  const button = useRef<HTMLButtonElement>(null);
  const vertical = which === "vertical";
  const unit = says.split(", ").at(-1) ?? "";
  const place = vertical
    ? "absolute top-1/2 left-0 -translate-y-1/2 [writing-mode:vertical-rl] rotate-180 max-h-full truncate"
    : "absolute bottom-0.5";
  const style = vertical ? undefined : { right };
  const look = "z-10 px-0.5 text-[12px] leading-4 whitespace-nowrap text-soft";
  if (!onLog && !onLimits && !children)
    return (
      <span className={`pointer-events-none ${place} ${look}`} style={style}>
        {says}
      </span>
    );
  return (
    <>
      <button
        ref={button}
        type="button"
        style={style}
        aria-label={`Axis ${says}: scale and limits`}
        aria-expanded={open}
        className={`${place} ${look} decoration-dotted underline-offset-2 hover:text-harbour hover:underline`}
        onClick={() => setOpen(!open)}
      >
        {says}
      </button>
      {open && button.current && (
        <Slip
          label={`Settings of ${says}`}
          beside={button.current}
          side={vertical ? "right" : "above"}
          onClose={() => setOpen(false)}
        >
          {onLog && (
            <p>
              scale{" "}
              <ChosenWord
                label={`Scale of ${says}`}
                value={log ? "log" : "linear"}
                options={[
                  { value: "linear", says: "in even steps", face: "linear" },
                  { value: "log", says: "in decades", face: "logarithmic" },
                ]}
                onSet={(v) => onLog(v === "log")}
              />
            </p>
          )}
          {onLimits && (
            <p>
              from{" "}
              <RangeWord
                label={`Limits of ${says}`}
                what={`the range of ${says.split(", ")[0]}`}
                value={limits}
                none={vertical ? "lowest to highest" : "beginning to end"}
                unit={unit === says ? "" : unit}
                {...(log ? { low: 1e-12 } : {})}
                show={([a, b]) => `${digits(a, 4)} to ${digits(b, 4)} ${unit === says ? "" : unit}`.trim()}
                width="24ch"
                onSet={(to: Range | undefined) => onLimits(to)}
              />
            </p>
          )}
          {children}
        </Slip>
      )}
    </>
  );
}
