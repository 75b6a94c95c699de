/** The register of sensors, what hangs where, and the memories of smart ones. */
import { useQueryClient } from "@tanstack/react-query";
import { useMemo, useRef, useState } from "react";
import { api, type RigBody, type Sensor, type SmartSensor, told } from "../../../api/client";
import { useSensors } from "../../../api/queries";
import { Button } from "../../../ui/Button";
import { plain } from "../../../ui/format";
import { Panel, Wrong } from "../../../ui/Panel";
import { smartWords } from "../Selected";
import { SensorForm } from "./SensorForm";

const day = 86_400_000;

/** How a calibration stands: shape, word, colour. */
function standing(s: Sensor): { shape: string; says: string; colour: string } {
  if (!s.due_on) return { shape: "△", says: "no due date", colour: "text-soft" };
  const days = Math.ceil((Date.parse(s.due_on) - Date.now()) / day);
  if (days < 0) return { shape: "▲", says: `${-days} days overdue`, colour: "text-lamp" };
  return { shape: "·", says: `due in ${days} days`, colour: days < 30 ? "text-lamp" : "text-lee" };
}

export function Sensors({ body }: { body: RigBody }) {
  const sensors = useSensors();
  const [wanted, setWanted] = useState("");
  const [chosen, setChosen] = useState<number | "new">();
  const [error, setError] = useState<Error>();
  const list = useRef<HTMLTableSectionElement>(null);
  const where = useMemo(() => {
    const map = new Map<string, string>();
    for (const c of body.rig.channels) if (c.on && c.sensor) map.set(c.sensor, c.label);
    return map;
  }, [body.rig.channels]);
  const rows = (sensors.data ?? []).filter((s) =>
    `${s.label} ${s.maker} ${s.quantity} ${standing(s).says}`.toLowerCase().includes(wanted.toLowerCase()),
  );
  const one = sensors.data?.find((s) => s.id === chosen);
  return (
    <>
      <Wrong error={error ?? sensors.error} />
      <div className="flex min-h-0 flex-1 gap-3">
        <Panel
          title="Register"
          says={`${sensors.data?.length ?? 0} sensors`}
          className="flex-1"
          aside={
            <>
              <input
                aria-label="Find a sensor"
                placeholder="Find a sensor"
                className="panel h-8 w-48 rounded-chart px-2"
                value={wanted}
                onChange={(e) => setWanted(e.target.value)}
              />
              <Button onClick={() => setChosen("new")}>Register one</Button>
            </>
          }
        >
          <div className="min-h-0 flex-1 overflow-auto">
            <table className="w-full font-narrow text-[13px]">
              <thead className="sticky top-0 bg-sheet text-left text-soft">
                <tr className="border-b border-ink">
                  <td className="w-6" />
                  {["Sensor", "Maker", "Quantity"].map((h) => (
                    <th key={h} className="px-2 py-1 font-normal">
                      {h}
                    </th>
                  ))}
                  <th className="px-2 py-1 text-right font-normal">Sensitivity</th>
                  <th className="px-2 py-1 font-normal">at</th>
                  <th className="px-2 py-1 font-normal">Calibrated</th>
                  <th className="px-2 py-1 font-normal">Due</th>
                  <th className="px-2 py-1 font-normal">Input</th>
                </tr>
              </thead>
              <tbody ref={list}>
                {rows.map((s) => {
                  const mark = standing(s);
                  return (
                    <tr
                      key={s.id}
                      tabIndex={0}
                      aria-selected={s.id === chosen}
                      className={`cursor-pointer border-b border-rule/70 ${s.id === chosen ? "bg-shoal" : ""}`}
                      onClick={() => setChosen(s.id)}
                      onKeyDown={(e) => {
                        const rows = [...(list.current?.children ?? [])] as HTMLElement[];
                        const at = rows.indexOf(e.currentTarget);
                        if (e.key === "ArrowDown") rows[at + 1]?.focus();
                        else if (e.key === "ArrowUp") rows[at - 1]?.focus();
                        else if (e.key === "Enter") setChosen(s.id);
                        else return;
                        e.preventDefault();
                      }}
                    >
                      <td className={`text-center ${mark.colour}`}>{mark.shape}</td>
                      <td className="px-2 py-0.5">{s.label}</td>
                      <td className="px-2">{s.maker}</td>
                      <td className="px-2">{s.quantity}</td>
                      <td className="num px-2 text-right">
                        {plain(s.sensitivity.value)} {s.sensitivity.unit}
                      </td>
                      <td className="num px-2">{s.reference_hz ? `${plain(s.reference_hz)} Hz` : ""}</td>
                      <td className="px-2">{s.calibrated_on ?? ""}</td>
                      <td className={`px-2 ${mark.colour}`}>{mark.says}</td>
                      <td className="num px-2">{where.get(s.label) ?? ""}</td>
                    </tr>
                  );
                })}
              </tbody>
            </table>
            {rows.length === 0 && (
              <p className="p-3 text-[13px] text-soft">
                {wanted
                  ? "No sensor fits the search."
                  : "No sensor is registered yet. Smart sensors register themselves when plugged in; others are entered here."}
              </p>
            )}
          </div>
        </Panel>
        <aside className="flex w-[340px] shrink-0 flex-col gap-2 overflow-y-auto">
          {chosen !== undefined && (
            <SensorForm
              key={chosen}
              body={body}
              sensor={one}
              onKept={(id) => {
                sensors.refetch();
                setChosen(id);
              }}
              onClose={() => setChosen(undefined)}
            />
          )}
          <Smart body={body} sensors={sensors.data ?? []} chosen={one} onError={setError} />
        </aside>
      </div>
    </>
  );
}

function Smart({
  body,
  sensors,
  chosen,
  onError,
}: {
  body: RigBody;
  sensors: Sensor[];
  chosen: Sensor | undefined;
  onError: (e: Error | undefined) => void;
}) {
  const client = useQueryClient();
  const [done, setDone] = useState("");
  const order = { damaged: 0, blank: 1, unknown: 2, sensor: 3 };
  const all = [...body.smart].sort((a, b) => order[a.memory] - order[b.memory] || a.input - b.input);
  const label = (input: number) => body.rig.channels.find((c) => c.input === input)?.label ?? String(input);
  const write = async (s: SmartSensor, sensor: Sensor, over: boolean) => {
    onError(undefined);
    try {
      await told(
        api.POST("/api/smart-sensors/{input}", {
          params: { path: { input: s.input } },
          body: { sensor: sensor.id, over },
        }),
      );
      setDone(`${sensor.label} was written on input ${label(s.input)}, read back and found the same.`);
      client.invalidateQueries({ queryKey: ["rig"] });
    } catch (e) {
      onError(e as Error);
    }
  };
  return (
    <Panel title="Smart sensors" aside={<span className="text-[12px] text-soft">{all.length} plugged in</span>}>
      <div className="px-3 pb-3 text-[13px]">
        {done && (
          <p role="status" className="text-lee">
            ✓ {done}
          </p>
        )}
        {all.length === 0 && (
          <p className="text-soft">None is plugged in. One that is plugged in tells here who it is.</p>
        )}
        <ul>
          {all.slice(0, 60).map((s) => {
            const known =
              s.memory === "sensor"
                ? sensors.find((k) => k.label === `${s.sensor.model}, ${s.sensor.serial}`)
                : undefined;
            // A step of the memory's scale is 0.03 %.
            const told = s.memory === "sensor" ? s.sensor.sensitivity : undefined;
            const stale =
              known?.sensitivity.unit === told?.unit &&
              Math.abs((known?.sensitivity.value ?? 0) / (told?.value ?? 1) - 1) > 1e-3;
            const bad = s.memory === "damaged";
            return (
              <li key={s.input} className="flex gap-2 border-t border-rule py-0.5" data-smart={s.input}>
                <span className={bad ? "text-reef" : s.memory === "sensor" ? "text-lee" : "text-lamp"}>
                  {bad ? "■" : s.memory === "sensor" ? "✓" : "▲"}
                </span>
                <span className="num w-8">{label(s.input)}</span>
                <span>
                  {smartWords(s)}
                  {known &&
                    s.memory === "sensor" &&
                    `, ${plain(s.sensor.sensitivity.value)} ${s.sensor.sensitivity.unit}`}
                  {stale && known && (
                    <span className="text-lamp">
                      ; the register has {plain(known.sensitivity.value)}{" "}
                      <button
                        type="button"
                        className="text-harbour hover:underline"
                        onClick={() => write(s, known, true)}
                      >
                        Write that into it
                      </button>
                    </span>
                  )}
                  {(s.memory === "blank" || bad) && chosen && (
                    <button
                      type="button"
                      className="ml-1 text-harbour hover:underline"
                      onClick={() => write(s, chosen, s.memory !== "blank")}
                    >
                      Write {chosen.label} into it
                    </button>
                  )}
                  {s.memory === "blank" && !chosen && (
                    <span className="text-soft"> Choose a sensor of the register to write it.</span>
                  )}
                </span>
              </li>
            );
          })}
        </ul>
        {all.length > 60 && <p className="text-soft">and {all.length - 60} more in order</p>}
      </div>
    </Panel>
  );
}
