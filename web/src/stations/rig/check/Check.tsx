/** A sensor checked against a known excitation: read pairs, see the fit, accept or reject. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { api, type RigBody, told } from "../../../api/client";
import { useStatusOf } from "../../../api/live";
import { orders } from "../../../shell/capture";
import { useCampaign } from "../../../shell/useCampaign";
import { Button } from "../../../ui/Button";
import { plain } from "../../../ui/format";
import { Panel, Wrong } from "../../../ui/Panel";
import { offerUndo } from "../../../ui/undo";
import { ChosenWord } from "../../../ui/Word";
import { HowWords } from "./HowWords";
import { PairPlot } from "./PairPlot";
import { PairsTable } from "./PairsTable";
import { bare, type How, usePairs } from "./usePairs";
import { Verdict } from "./Verdict";

const usual: How = {
  kind: "typed",
  known: 10,
  levels: [1, 2, 5, 10],
  volts: [0.2, 0.4, 0.8, 1.6],
  unit: 0,
  reference: undefined,
  hz: 159.155,
  settle_s: 2,
  read_s: 2,
};

/** The sensor plugged into an input, where it knows who it is. */
function pluggedInto(body: RigBody, input: number): string | undefined {
  const s = body.smart.find((one) => one.input === input);
  if (s?.memory === "sensor") return `${s.sensor.model}, ${s.sensor.serial}`;
  return s?.memory === "unknown" ? s.label : undefined;
}

export function Check({ body }: { body: RigBody }) {
  const { id } = useCampaign();
  const client = useQueryClient();
  const units = useStatusOf((s) =>
    s?.link.link === "connected" ? s.link.units.map((u) => `${u.model}, ${u.serial}`).join("|") : "",
  ).split("|");
  const [params, setParams] = useSearchParams();
  const channels = body.rig.channels.filter((c) => c.on);
  const input = Number(params.get("input") ?? channels[0]?.input ?? 1);
  const channel = channels.find((c) => c.input === input);
  const others = channels.filter((c) => c.input !== input && c.quantity === channel?.quantity);
  const [set, setHow] = useState(usual);
  const how = { ...set, reference: others.some((c) => c.input === set.reference) ? set.reference : others[0]?.input };
  const [done, setDone] = useState("");
  const [named, setNamed] = useState<{ input: number; sensor: string }>();
  const p = usePairs(input, how);
  const label = (i: number | undefined) => channels.find((c) => c.input === i)?.label ?? "";
  if (!channel) return <p className="text-soft">No channel is on. Switch one on in the channel table.</p>;

  const plugged = pluggedInto(body, input);
  const differs = plugged !== undefined && plugged !== channel.sensor;
  // What is plugged in is what is checked, unless the engineer says otherwise.
  const sensor = named?.input === input ? named.sensor : (plugged ?? channel.sensor);
  const anew = () => {
    p.anew();
    setDone("");
  };
  const refreshed = () => {
    client.invalidateQueries({ queryKey: ["rig"] });
    client.invalidateQueries({ queryKey: ["sensors"] });
  };
  const takeBack = async (sensor_id: number, of: string) => {
    const back = await told(api.POST("/api/reference/take-back", { body: { campaign: id ?? 0, sensor_id } }));
    setDone(`${of} is as it was found: ${plain(back.sensitivity.value)} ${back.sensitivity.unit}.`);
    refreshed();
  };
  const judge = async (accept: boolean) => {
    p.setError(undefined);
    try {
      const known = how.kind === "typed" || how.kind === "table";
      const reference = known ? "known level" : `input ${label(how.reference)}, ${how.kind}`;
      const answer = await told(
        api.POST("/api/reference/verdict", {
          body: {
            campaign: id ?? 0,
            input,
            pairs: bare(p.pairs),
            hz: how.hz,
            accept,
            reference,
            sensor,
            due_on: null,
          },
        }),
      );
      const { model, serial, sensitivity, due_on } = answer.sensor;
      const of = `${model}, ${serial}`;
      anew();
      setDone(
        accept
          ? `${of} now has ${plain(sensitivity.value)} ${sensitivity.unit}, in the register and in the rig; due on ${due_on}.`
          : "Rejected: the sensitivity stays as it was, and the readings stay in the sensor's history.",
      );
      if (accept) offerUndo(`New sensitivity of ${of} accepted`, () => takeBack(answer.sensor_id, of));
      refreshed();
    } catch (e) {
      p.setError(e as Error);
    }
  };

  return (
    <>
      <Wrong error={p.error} />
      <div className="flex min-h-0 flex-1 gap-3">
        <div className="flex min-h-0 min-w-0 flex-1 flex-col gap-3 overflow-y-auto">
          <Panel title="How it is checked" className="shrink-0">
            <div className="px-3 pb-3 leading-8">
              <HowWords
                channels={channels}
                others={others}
                input={input}
                units={units}
                how={how}
                unit={p.unit}
                onInput={(i) => {
                  setParams({ input: String(i) }, { replace: true });
                  anew();
                }}
                onHow={(part) => {
                  setHow({ ...how, ...part });
                  if (part.kind) anew();
                }}
              />
              {differs && (
                <p role="alert" className="my-1 border-l-4 border-lamp px-2 leading-7 text-lamp">
                  ▲ The sensor on this input says it is “{plugged}”; the row names “{channel.sensor || "none"}”. Checked
                  is{" "}
                  <ChosenWord
                    label="Sensor that is checked"
                    value={sensor}
                    options={[
                      { value: plugged, says: `${plugged}, as its memory says`, face: plugged },
                      { value: channel.sensor, says: `${channel.sensor}, as the row says`, face: channel.sensor },
                    ].filter((o) => o.value !== "")}
                    onSet={(to) => setNamed({ input, sensor: to })}
                  />
                  .
                </p>
              )}
              <div className="mt-2 flex items-center gap-3">
                <Button
                  look="main"
                  disabled={p.busy !== ""}
                  onClick={() => {
                    setDone("");
                    p.read();
                  }}
                >
                  {how.kind === "output" ? `Read ${how.volts.length} steps` : "Read a pair"}
                </Button>
                {p.busy && (
                  <>
                    <span role="status">{p.busy} …</span>
                    {how.kind === "output" && (
                      <Button
                        look="hot"
                        onClick={() => {
                          p.halt();
                          orders.emergencyStop().catch(p.setError);
                        }}
                      >
                        Emergency stop
                      </Button>
                    )}
                  </>
                )}
                <span className="ml-auto" />
                <Button disabled={p.pairs.length === 0 || p.busy !== ""} onClick={anew}>
                  Start over
                </Button>
              </div>
            </div>
          </Panel>
          {done && (
            <p role="status" className="border-l-4 border-lee px-2 text-lee">
              ✓ {done}
            </p>
          )}
          <PairsTable
            input={input}
            name={label(input)}
            pairs={p.pairs}
            fit={p.fit}
            unit={p.unit}
            onLeaveOut={p.leaveOut}
            onError={p.setError}
          />
        </div>
        <aside className="flex w-[400px] shrink-0 flex-col gap-3 overflow-y-auto max-[1100px]:w-[300px]">
          <Panel title="Reading against reference" className="shrink-0">
            <PairPlot pairs={p.pairs} fit={p.fit} unit={p.unit} />
          </Panel>
          <Verdict channel={channel} sensor={sensor} fit={p.fit} unit={p.unit} busy={p.busy !== ""} onJudge={judge} />
        </aside>
      </div>
    </>
  );
}
