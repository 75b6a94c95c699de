/** One sensor of the register: what is known of it, and its history. */
import { useId, useState } from "react";
import { api, type RigBody, type Schema, type Sensor, told } from "../../../api/client";
import { useSensorHistory } from "../../../api/queries";
import { Button } from "../../../ui/Button";
import { digits, plain } from "../../../ui/format";
import { Panel } from "../../../ui/Panel";
import { couplings } from "../columns";

type Props = {
  body: RigBody;
  sensor: Sensor | undefined;
  onKept: (id: number) => void;
  onClose: () => void;
};

const text = (x: number | null | undefined) => (x === null || x === undefined ? "" : plain(x));
/** A typed number; undefined for nothing, NaN for what is none. */
const number = (t: string) => (t.trim() === "" ? null : Number(t.replace(",", ".")));

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
  });
  const [wrong, setWrong] = useState<{ says: string; field: string | undefined }>();
  const history = useSensorHistory(sensor?.id);
  const set = (key: keyof typeof f) => (value: string) => setF((f) => ({ ...f, [key]: value }));
  const units = body.units.find((u) => u.quantity === f.quantity)?.sensitivity_units ?? [];

  const keep = async () => {
    setWrong(undefined);
    const numbers = {
      sensitivity: number(f.value),
      reference_hz: number(f.reference_hz),
      measures_to: number(f.measures_to),
      resonance_hz: number(f.resonance_hz),
      bias_v: number(f.bias_v),
    };
    for (const [field, x] of Object.entries(numbers)) {
      if (Number.isNaN(x)) return setWrong({ says: "this is no number; allowed is a number such as 10.2", field });
    }
    const { sensitivity, ...rest } = numbers;
    const sent: Schema["Sensor"] = {
      model: f.model,
      serial: f.serial,
      maker: f.maker,
      quantity: f.quantity,
      coupling: f.coupling,
      sensitivity: { value: sensitivity ?? 0, unit: f.unit },
      ...rest,
      calibrated_on: f.calibrated_on || null,
      due_on: f.due_on || null,
    };
    try {
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
        {line("model", "Type")}
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
        {line("measures_to", "Measures to", { unit: "SI, peak" })}
        {line("resonance_hz", "Resonance", { unit: "Hz" })}
        {line("bias_v", "Rest voltage", { unit: "V" })}
        {line("calibrated_on", "Calibrated", { type: "date" })}
        {line("due_on", "Due", { type: "date" })}
        {wrong && (
          <p role="alert" className="text-reef">
            {wrong.says}
          </p>
        )}
        <Button look="main" className="mt-1" onClick={keep}>
          {sensor ? "Keep changes" : "Register"}
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
                  by {h.who}, {new Date(h.at).toLocaleDateString("en-GB")}
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
