/** One sensor of the register: what is known of it, and its history. */
import { useId, useState } from "react";
import { api, Refused, type RigBody, type Schema, type Sensor, told } from "../../../api/client";
import { useSensorHistory } from "../../../api/queries";
import { Button } from "../../../ui/Button";
import { readNumber } from "../../../ui/entry";
import { day, digits, plain } from "../../../ui/format";
import { Panel } from "../../../ui/Panel";
import { couplings } from "../columns";

type Props = {
  body: RigBody;
  sensor: Sensor | undefined;
  onKept: (id: number) => void;
  onClose: () => void;
};

const text = (x: number | null | undefined) => (x === null || x === undefined ? "" : plain(x));
/** The SI unit of a quantity, in which a sensor's range is kept. */
const si: Record<Sensor["quantity"], string> = {
  acceleration: "m/s²",
  velocity: "m/s",
  displacement: "m",
  force: "N",
  pressure: "Pa",
  strain: "",
  voltage: "V",
};

export function SensorForm({ body, sensor, onKept, onClose }: Props) {
  const [f, setF] = useState({
    model: sensor?.model ?? "",
    serial: sensor?.serial ?? "",
    maker: sensor?.maker ?? "",
    quantity: (sensor?.quantity ?? "acceleration") as Sensor["quantity"],
    value: text(sensor?.sensitivity.value),
    unit: sensor?.sensitivity.unit ?? "mV/(m/s²)",
    coupling: (sensor?.coupling ?? "IEPE") as Sensor["coupling"],
    reference_hz: text(sensor?.reference_hz),
    measures_to: text(sensor?.measures_to),
    resonance_hz: text(sensor?.resonance_hz),
    bias_v: text(sensor?.bias_v),
    calibrated_on: sensor?.calibrated_on ?? "",
    due_on: sensor?.due_on ?? "",
    uncertainty_percent: text(sensor?.uncertainty_percent),
  });
  const [wrong, setWrong] = useState<{ says: string; field: string | undefined }>();
  const history = useSensorHistory(sensor?.id);
  const set = (key: keyof typeof f) => (value: string) => setF((f) => ({ ...f, [key]: value }));
  const units = body.units.find((u) => u.quantity === f.quantity)?.sensitivity_units ?? [];

  const keep = async () => {
    setWrong(undefined);
    const number = async (field: string, text: string, what: string, unit: string) => {
      if (text.trim() === "") return null;
      try {
        return await readNumber(text, { what, unit, above: 0 });
      } catch (e) {
        throw new Refused((e as Error).message, field);
      }
    };
    try {
      const value = await number("sensitivity", f.value, "the sensitivity", f.unit);
      const sent: Schema["Sensor"] = {
        model: f.model,
        serial: f.serial,
        maker: f.maker,
        quantity: f.quantity,
        coupling: f.coupling,
        sensitivity: { value: value ?? 0, unit: f.unit },
        reference_hz: await number("reference_hz", f.reference_hz, "the reference frequency", "Hz"),
        measures_to: await number("measures_to", f.measures_to, "the range", si[f.quantity]),
        resonance_hz: await number("resonance_hz", f.resonance_hz, "the resonance", "Hz"),
        bias_v: await number("bias_v", f.bias_v, "the bias voltage", "V"),
        calibrated_on: f.calibrated_on || null,
        due_on: f.due_on || null,
        uncertainty_percent: await number("uncertainty_percent", f.uncertainty_percent, "the uncertainty", "%"),
      };
      const kept = await told(api.PUT("/api/sensors", { body: sent }));
      history.refetch();
      onKept(kept.id);
    } catch (e) {
      setWrong({ says: (e as Error).message, field: (e as { field?: string }).field });
    }
  };
  const line = (key: keyof typeof f, says: string, more: { unit?: string; type?: string; field?: string } = {}) => (
    <Line
      says={says}
      value={f[key]}
      onValue={set(key)}
      wrong={wrong?.field === (more.field ?? key) ? wrong.says : undefined}
      {...more}
    />
  );
  return (
    <Panel
      title={sensor ? sensor.label : "A new sensor"}
      className="shrink-0"
      aside={
        <button type="button" aria-label="Close" className="hover:text-harbour" onClick={onClose}>
          ✕
        </button>
      }
    >
      <form
        className="px-3 pb-2 text-[13px]"
        onSubmit={(e) => {
          e.preventDefault();
          keep();
        }}
      >
        {line("model", "Model")}
        {line("serial", "Serial")}
        {line("maker", "Maker")}
        <Line
          says="Measures"
          value={f.quantity}
          onValue={(v) => {
            const quantity = v as Sensor["quantity"];
            const unit = body.units.find((u) => u.quantity === quantity)?.sensitivity_units[0] ?? f.unit;
            setF((f) => ({ ...f, quantity, unit }));
          }}
          options={body.units.map((u) => u.quantity)}
        />
        {line("value", "Sensitivity", { field: "sensitivity" })}
        <Line says="in" value={f.unit} onValue={set("unit")} options={units} />
        {line("reference_hz", "at", { unit: "Hz" })}
        <Line says="Coupling" value={f.coupling} onValue={set("coupling")} options={couplings} />
        {line("measures_to", "Range", { unit: `${si[f.quantity]}, peak` })}
        {line("resonance_hz", "Resonance", { unit: "Hz" })}
        {line("bias_v", "Bias voltage", { unit: "V" })}
        {line("calibrated_on", "Calibrated", { type: "date" })}
        {line("due_on", "Due", { type: "date" })}
        {line("uncertainty_percent", "Uncertainty", { unit: "%, coverage 2" })}
        {wrong && (
          <p role="alert" className="text-reef">
            {wrong.says}
          </p>
        )}
        <Button look="main" className="mt-1" type="submit">
          {sensor ? "Save changes" : "Register"}
        </Button>
      </form>
      {history.data && (
        <div className="border-t border-rule px-3 py-2 text-[13px]">
          <span className="font-semibold">History</span>
          <ol>
            {history.data.map((h) => (
              <li key={h.at} className="border-t border-rule py-0.5 leading-4">
                <span className="num">
                  {plain(h.sensor.sensitivity.value)} {h.sensor.sensitivity.unit}
                </span>{" "}
                {h.what}
                <span className="text-soft">
                  {" "}
                  by {h.who}, {day(h.at)}
                </span>
                <AsFound detail={h.detail as Detail | null} />
              </li>
            ))}
          </ol>
        </div>
      )}
    </Panel>
  );
}

type Detail = { as_found?: { value: number }; fit?: { worst: number }; pairs?: unknown[] };

/** A check against a reference: what was found, over how many pairs. */
function AsFound({ detail }: { detail: Detail | null }) {
  if (!detail?.as_found) return null;
  return (
    <span className="block text-soft">
      as found {plain(detail.as_found.value)}, {detail.pairs?.length} readings, worst deviation{" "}
      {digits((detail.fit?.worst ?? 0) * 100, 2)} %
    </span>
  );
}

type LineProps = {
  says: string;
  value: string;
  onValue: (value: string) => void;
  unit?: string;
  type?: string;
  options?: string[];
  wrong?: string | undefined;
};

function Line({ says, value, onValue, unit, type = "text", options, wrong }: LineProps) {
  const id = useId();
  const look = `h-6 w-full bg-transparent px-1 text-right ${wrong ? "border border-reef" : ""}`;
  return (
    <label htmlFor={id} className="flex items-center border-b border-rule">
      <span className="w-24 shrink-0 text-soft">{says}</span>
      {options ? (
        <select id={id} className={look} value={value} onChange={(e) => onValue(e.target.value)}>
          {options.map((o) => (
            <option key={o}>{o}</option>
          ))}
        </select>
      ) : (
        <input id={id} type={type} className={look} value={value} onChange={(e) => onValue(e.target.value)} />
      )}
      {unit && <span className="w-16 shrink-0 text-[12px] text-soft">{unit}</span>}
    </label>
  );
}
