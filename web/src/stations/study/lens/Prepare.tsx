/** What is done to the samples before a lens, step by step, as words that are changed. */
import { NumberWord, RangeWord } from "../../../ui/EntryWord";
import { ChosenWord } from "../../../ui/Word";

export type Step = { do: string; [key: string]: unknown };

const kinds: { says: string; step: (rate: number) => Step }[] = [
  { says: "remove mean", step: () => ({ do: "zero" }) },
  { says: "detrend", step: () => ({ do: "detrend" }) },
  { says: "high-pass", step: () => ({ do: "highpass", edge_hz: 2, order: 4 }) },
  { says: "low-pass", step: (rate) => ({ do: "lowpass", edge_hz: Math.round(rate / 10), order: 4 }) },
  { says: "band-pass", step: (rate) => ({ do: "bandpass", band_hz: [10, Math.round(rate / 10)], order: 4 }) },
  { says: "band-stop", step: () => ({ do: "bandstop", band_hz: [48, 52], order: 2 }) },
  { says: "integrate", step: () => ({ do: "integrate", times: 1, above_hz: 2 }) },
  { says: "differentiate", step: () => ({ do: "differentiate", times: 1 }) },
  { says: "trim", step: () => ({ do: "trim", start_s: 0.1, end_s: 0.1 }) },
  { says: "resample", step: (rate) => ({ do: "resample", rate_hz: Math.round(rate / 4) }) },
];

export function Prepare({
  steps,
  rate,
  onSet,
}: {
  steps: Step[];
  rate: number;
  onSet: (steps: Step[] | undefined) => void;
}) {
  const put = (all: Step[]) => onSet(all.length ? all : undefined);
  return (
    <span className="text-soft">
      {steps.length > 0 && " Before that: "}
      {steps.map((s, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a step is its place in the chain
        <span key={i} className="text-ink">
          <One step={s} rate={rate} onSet={(to) => put(steps.map((x, k) => (k === i ? to : x)))} />
          <button
            type="button"
            aria-label={`Remove step ${i + 1}`}
            className="px-0.5 text-soft hover:text-harbour"
            onClick={() => put(steps.filter((_, k) => k !== i))}
          >
            ×
          </button>
          {i + 1 < steps.length && ", "}
        </span>
      ))}{" "}
      <ChosenWord
        label="Prepare"
        value=""
        empty={steps.length ? "and …" : "prepare …"}
        options={kinds.map((k) => ({ value: k.says, says: k.says }))}
        onSet={(says) => {
          const kind = kinds.find((k) => k.says === says);
          if (kind) put([...steps, kind.step(rate)]);
        }}
      />
    </span>
  );
}

function One({ step, rate, onSet }: { step: Step; rate: number; onSet: (to: Step) => void }) {
  const number = (key: string, label: string, unit: string, lo: number, hi?: number) => (
    <NumberWord
      label={label}
      value={Number(step[key] ?? 0)}
      unit={unit}
      low={lo}
      high={hi}
      whole={unit === "×" || key === "order"}
      onSet={(x) => onSet({ ...step, [key]: x })}
    />
  );
  const order = <>, order {number("order", "Order of the filter", "", 1, 12)}</>;
  const band = (step.band_hz as [number, number] | undefined) ?? [1, 2];
  const edges = (label: string) => (
    <RangeWord
      label={label}
      value={band}
      unit="Hz"
      above={0}
      high={rate / 2}
      onSet={(band_hz) => onSet({ ...step, band_hz })}
    />
  );
  switch (step.do) {
    case "zero":
      return <>mean removed</>;
    case "detrend":
      return <>detrended</>;
    case "highpass":
      return (
        <>
          above {number("edge_hz", "High-pass edge", "Hz", 1e-6, rate / 2)}
          {order}
        </>
      );
    case "lowpass":
      return (
        <>
          below {number("edge_hz", "Low-pass edge", "Hz", 1e-6, rate / 2)}
          {order}
        </>
      );
    case "bandpass":
      return (
        <>
          only {edges("Pass band")}
          {order}
        </>
      );
    case "bandstop":
      return (
        <>
          without {edges("Stop band")}
          {order}
        </>
      );
    case "integrate":
      return (
        <>
          integrated {number("times", "Integrations", "×", 1, 3)} above{" "}
          {number("above_hz", "Integrated above", "Hz", 0)}
        </>
      );
    case "differentiate":
      return <>differentiated {number("times", "Differentiations", "×", 1, 3)}</>;
    case "trim":
      return (
        <>
          {number("start_s", "Trim at the start", "s", 0)} off the start and{" "}
          {number("end_s", "Trim at the end", "s", 0)} off the end
        </>
      );
    default:
      return <>at {number("rate_hz", "Rate", "Hz", 1e-3)}</>;
  }
}
