/** The spectrum's settings as a sentence, and what follows from them. */
import type { Analysis, RunDetail } from "../../api/client";
import { digits, rate, whole, withUnit } from "../../ui/format";
import { ChosenWord } from "../../ui/Word";
import type { SpectrumSet } from "./state";

const windows = {
  hann: "Hann",
  hamming: "Hamming",
  flat_top: "flat-top",
  blackman_harris: "Blackman-Harris",
  rectangular: "no",
};
const scalings = { peak: "peak", rms: "rms", power: "power", psd: "PSD", esd: "energy density" };
const averagings = { linear: "averaged", exponential: "averaged, newest most", peak_hold: "held at the largest" };
const list = <T extends string>(o: Record<T, string>) =>
  (Object.entries(o) as [T, string][]).map(([value, says]) => ({ value: value as string, says }));

export function Settings({
  run,
  set,
  onSet,
  result,
  unit,
}: {
  run: RunDetail;
  set: SpectrumSet;
  onSet: (part: Partial<SpectrumSet>) => void;
  result: Analysis | undefined;
  unit: string;
}) {
  const lines = run.sample_rate_hz / set.block;
  const motion = ["m/s²", "g", "mm/s²", "mm/s", "m/s", "µm", "mm", "m"].includes(unit);
  const units = motion ? ["m/s²", "g", "mm/s", "µm"] : [unit];
  const error = result?.random_error;
  return (
    <p className="leading-7">
      Blocks of{" "}
      <ChosenWord
        label="Block"
        value={set.block}
        options={Array.from({ length: 11 }, (_, k) => 2 ** (k + 9)).map((b) => ({
          value: b,
          face: whole(b),
          says: `${whole(b)} · ${withUnit(run.sample_rate_hz / b, "Hz", 3)}`,
        }))}
        onSet={(block) => onSet({ block })}
      />
      , <ChosenWord label="Window" value={set.window} options={list(windows)} onSet={(window) => onSet({ window })} />{" "}
      window,{" "}
      <ChosenWord
        label="Overlap"
        value={set.overlap}
        options={[0, 0.5, 0.67, 0.75].map((o) => ({ value: o, says: `${o * 100} %` }))}
        onSet={(overlap) => onSet({ overlap })}
      />{" "}
      overlap,{" "}
      <ChosenWord
        label="Averaging"
        value={set.averaging}
        options={list(averagings)}
        onSet={(averaging) => onSet({ averaging })}
      />
      .
      <br />
      Lines <b className="num">{withUnit(lines, "Hz", 3)}</b> apart, clean to{" "}
      <b className="num">{rate(run.sample_rate_hz * run.clean_share)}</b>
      {result?.averages && (
        <>
          ; <b className="num">{result.averages}</b> averages
          {error != null && (
            <>
              , ± <b className="num">{digits(10 * Math.log10(1 + error), 2)}</b> dB
            </>
          )}
        </>
      )}
      .<br />
      Shown as{" "}
      <ChosenWord
        label="Scaling"
        value={set.scaling}
        options={list(scalings)}
        onSet={(scaling) => onSet({ scaling })}
      />{" "}
      in{" "}
      <ChosenWord
        label="Unit"
        value={set.unit || unit}
        options={units.map((u) => ({ value: u, says: u }))}
        onSet={(u) => onSet({ unit: u === unit ? "" : u })}
      />
      {set.unit && set.unit !== unit && set.unit !== "g" && (
        <span className="text-soft">
          , integrated above {digits(result?.recipe.lens === "spectrum" ? result.recipe.integrate_above_hz : 2, 2)} Hz
        </span>
      )}
      .
    </p>
  );
}
