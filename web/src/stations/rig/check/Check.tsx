/** A sensor checked against a known excitation: read pairs, see the fit, accept or reject. */
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { api, type Fit, type Pair, type RigBody, type Schema, told } from "../../../api/client";
import { driveOutput } from "../../../api/output";
import { orders } from "../../../shell/capture";
import { useCampaign } from "../../../shell/useCampaign";
import { Button } from "../../../ui/Button";
import { ListWord, NumberWord } from "../../../ui/EntryWord";
import { digits, plain, withUnit } from "../../../ui/format";
import { Panel, Wrong } from "../../../ui/Panel";
import { ChosenWord } from "../../../ui/Word";
import { PairPlot } from "./PairPlot";

type Kind = "typed" | "table" | "channel" | "output";

const kinds: { value: Kind; says: string; face: string }[] = [
  { value: "typed", says: "a level I know, such as a hand-held calibrator's", face: "a known level" },
  { value: "table", says: "levels from a list, stepped by hand", face: "a list of levels" },
  { value: "channel", says: "another channel with a reference transducer", face: "another channel" },
  { value: "output", says: "another channel, stepped by our output", face: "our output's steps" },
];

export function Check({ body }: { body: RigBody }) {
  const { id } = useCampaign();
  const client = useQueryClient();
  const [params, setParams] = useSearchParams();
  const channels = body.rig.channels.filter((c) => c.on);
  const input = Number(params.get("input") ?? channels[0]?.input ?? 1);
  const channel = channels.find((c) => c.input === input);
  const others = channels.filter((c) => c.input !== input && c.quantity === channel?.quantity);
  const [kind, setKind] = useState<Kind>("typed");
  const [known, setKnown] = useState(10);
  const [levels, setLevels] = useState([1, 2, 5, 10]);
  const [volts, setVolts] = useState([0.2, 0.4, 0.8, 1.6]);
  const [other, setOther] = useState(0);
  const [hz, setHz] = useState(159.155);
  const [settle, setSettle] = useState(2);
  const [reading, setReading] = useState(2);
  const [pairs, setPairs] = useState<(Pair & { spread: number; hz: number })[]>([]);
  const [unit, setUnit] = useState("m/s²");
  const [fit, setFit] = useState<Fit>();
  const [busy, setBusy] = useState("");
  const [error, setError] = useState<Error>();
  const [done, setDone] = useState("");
  const halted = useRef(false);
  const referenceInput = kind === "channel" || kind === "output" ? other || others[0]?.input : undefined;
  const label = (i: number | undefined) => channels.find((c) => c.input === i)?.label ?? "";

  const anew = () => {
    setPairs([]);
    setFit(undefined);
    setDone("");
    setError(undefined);
  };
  const fitted = async (all: Pair[]) => {
    const bare = all.map(({ reference, reading }) => ({ reference, reading }));
    setFit(bare.length ? await told(api.POST("/api/reference/fit", { body: { input, pairs: bare } })) : undefined);
  };
  const one = async (so: typeof pairs, level: number | undefined) => {
    const r = await told(
      api.POST("/api/reference/read", {
        body: { input, reference_input: referenceInput ?? null, hz, settle_s: settle, read_s: reading },
      }),
    );
    setUnit(r.unit);
    const all = [
      ...so,
      { reference: r.reference?.rms ?? level ?? 0, reading: r.reading.rms, spread: r.reading.spread, hz: r.reading.hz },
    ];
    setPairs(all);
    await fitted(all);
    return all;
  };
  const drive = (peak_v: number) => driveOutput(0, { hz, peak_v });

  const read = async () => {
    setError(undefined);
    setDone("");
    halted.current = false;
    try {
      if (kind === "output") {
        let all = pairs;
        for (const [k, v] of volts.entries()) {
          if (halted.current) break;
          setBusy(`step ${k + 1} of ${volts.length}: ${withUnit(v, "V peak")}`);
          await drive(v);
          all = await one(all, undefined);
        }
      } else {
        const level = kind === "table" ? levels[pairs.length % levels.length] : known;
        setBusy(kind === "table" ? `set ${withUnit(level ?? 0, `${unit} rms`)} and hold it` : "settling and reading");
        await one(pairs, kind === "channel" ? undefined : level);
      }
    } catch (e) {
      setError(e as Error);
    }
    if (kind === "output") await drive(0).catch(setError);
    setBusy("");
  };
  // Whoever leaves this view must not leave a shaker running: the steps end, and the output with them.
  useEffect(
    () => () => {
      halted.current = true;
    },
    [],
  );
  const judge = async (accept: boolean) => {
    setError(undefined);
    try {
      const bare = pairs.map(({ reference, reading }) => ({ reference, reading }));
      const reference =
        kind === "typed" || kind === "table" ? "known level" : `input ${label(referenceInput)}, ${kind}`;
      const answer = await told(
        api.POST("/api/reference/verdict", {
          body: { campaign: id ?? 0, input, pairs: bare, hz, accept, reference, due_on: null },
        }),
      );
      setDone(
        accept
          ? `${answer.sensor.model}, ${answer.sensor.serial} now has ${plain(answer.sensor.sensitivity.value)} ${answer.sensor.sensitivity.unit}, in the register and in the rig; due on ${answer.sensor.due_on}.`
          : "Rejected: the sensitivity stays as it was, and the readings stay in the sensor's history.",
      );
      setPairs([]);
      setFit(undefined);
      client.invalidateQueries({ queryKey: ["rig"] });
      client.invalidateQueries({ queryKey: ["sensors"] });
    } catch (e) {
      setError(e as Error);
    }
  };
  const save = async (ending: "csv" | "xlsx") => {
    const bare = pairs.map(({ reference, reading }) => ({ reference, reading }));
    const answer = await fetch(`/api/reference/sheet.${ending}`, {
      method: "POST",
      headers: { "content-type": "application/json" },
      body: JSON.stringify({ input, pairs: bare } satisfies Schema["FitRequest"]),
    });
    if (!answer.ok) return setError(new Error((await answer.json()).says));
    const link = document.createElement("a");
    link.href = URL.createObjectURL(await answer.blob());
    link.download = `reference-check-input-${label(input)}.${ending}`;
    link.click();
    URL.revokeObjectURL(link.href);
  };

  if (!channel) return <p className="text-soft">No channel is on. Switch one on in the channel table.</p>;
  const change = fit ? fit.gain - 1 : 0;
  return (
    <>
      <Wrong error={error} />
      <div className="flex min-h-0 flex-1 gap-3">
        <div className="flex min-h-0 flex-1 flex-col gap-3 overflow-y-auto">
          <Panel title="How it is checked" className="shrink-0">
            <div className="px-3 pb-3 leading-8">
              Check{" "}
              <ChosenWord
                label="Channel to check"
                value={input}
                options={channels.map((c) => ({ value: c.input, says: `${c.label}  ${c.name}` }))}
                onSet={(i) => {
                  setParams({ input: String(i) }, { replace: true });
                  anew();
                }}
              />{" "}
              against{" "}
              <ChosenWord
                label="Reference"
                value={kind}
                options={kinds}
                onSet={(k) => {
                  setKind(k);
                  anew();
                }}
              />
              {kind === "typed" && (
                <>
                  {" "}
                  of <NumberWord label="Known level" value={known} unit={unit} above={0} onSet={setKnown} /> rms
                </>
              )}
              {kind === "table" && (
                <>
                  {": "}
                  <ListWord label="Levels" value={levels} unit={unit} above={0} onSet={setLevels} /> rms
                </>
              )}
              {(kind === "channel" || kind === "output") && (
                <>
                  {", read from "}
                  <ChosenWord
                    label="Reference channel"
                    value={referenceInput ?? 0}
                    options={others.map((c) => ({ value: c.input, says: `${c.label}  ${c.name}` }))}
                    onSet={setOther}
                  />
                </>
              )}
              {kind === "output" && (
                <>
                  {", driving "}
                  <ListWord label="Output steps" value={volts} unit="V" above={0} high={10} onSet={setVolts} /> peak
                </>
              )}{" "}
              at <NumberWord label="Frequency" value={hz} unit="Hz" above={0} onSet={setHz} />; let it settle for{" "}
              <NumberWord label="Settling time" value={settle} unit="s" low={0} high={60} onSet={setSettle} /> and read
              for <NumberWord label="Reading time" value={reading} unit="s" low={0.1} high={60} onSet={setReading} />.
              <div className="mt-2 flex items-center gap-3">
                <Button look="main" disabled={busy !== ""} onClick={read}>
                  {kind === "output" ? `Read ${volts.length} steps` : "Read a pair"}
                </Button>
                {busy && (
                  <>
                    <span role="status">{busy} …</span>
                    {kind === "output" && (
                      <Button
                        look="hot"
                        onClick={() => {
                          halted.current = true;
                          orders.emergencyStop().catch(setError);
                        }}
                      >
                        Emergency stop
                      </Button>
                    )}
                  </>
                )}
                <span className="ml-auto" />
                <Button disabled={pairs.length === 0 || busy !== ""} onClick={anew}>
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
          <Panel
            title="Pairs"
            says={pairs.length === 0 ? "none read yet" : undefined}
            className="min-h-60 flex-1"
            aside={
              pairs.length > 0 && (
                <>
                  <Button look="link" onClick={() => save("xlsx")}>
                    Save as XLSX
                  </Button>
                  <Button look="link" onClick={() => save("csv")}>
                    CSV
                  </Button>
                </>
              )
            }
          >
            <div className="min-h-0 flex-1 overflow-auto px-3 pb-2">
              <table className="w-full text-[13px]">
                <thead className="text-soft">
                  <tr className="border-b border-ink text-right">
                    <th className="py-1 text-left font-normal">Pair</th>
                    <th className="font-normal">Reference, {unit} rms</th>
                    <th className="font-normal">Reading, {unit} rms</th>
                    <th className="font-normal">Deviation</th>
                    <th className="font-normal">Spread</th>
                    <th className="font-normal">Frequency</th>
                    <th />
                  </tr>
                </thead>
                <tbody>
                  {pairs.map((p, i) => (
                    // biome-ignore lint/suspicious/noArrayIndexKey: pairs are numbered by their order
                    <tr key={i} className="num border-b border-rule/70 text-right" data-pair={i + 1}>
                      <td className="py-0.5 text-left">{i + 1}</td>
                      <td>{digits(p.reference)}</td>
                      <td>{digits(p.reading)}</td>
                      <td>{withUnit((fit?.deviations[i] ?? 0) * 100, "%", 3)}</td>
                      <td className={p.spread > 0.01 ? "text-lamp" : ""}>
                        {p.spread < 1e-4 ? "< 0.01\u202f%" : withUnit(p.spread * 100, "%", 2)}
                      </td>
                      <td>{withUnit(p.hz, "Hz", 5)}</td>
                      <td>
                        <button
                          type="button"
                          className="px-1 hover:text-harbour"
                          aria-label={`Leave out pair ${i + 1}`}
                          onClick={() => {
                            const left = pairs.filter((_, k) => k !== i);
                            setPairs(left);
                            fitted(left).catch(setError);
                          }}
                        >
                          ✕
                        </button>
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
              {pairs.length === 0 && (
                <p className="pt-3 text-[13px] text-soft">
                  Put the sensor on the reference, then read. One level gives the gain; three or more give offset and
                  linearity as well.
                </p>
              )}
            </div>
          </Panel>
        </div>
        <aside className="flex w-[400px] shrink-0 flex-col gap-3">
          <Panel title="Reading against reference" className="shrink-0">
            <PairPlot pairs={pairs} fit={fit} unit={unit} />
          </Panel>
          <Panel title="What follows" className="flex-1">
            <div className="px-3 pb-3">
              <dl className="grid grid-cols-[auto_1fr] text-[13px] leading-6">
                <Line says="Sensor" value={channel.sensor || "not named"} />
                <Line says="Gain" value={fit ? digits(fit.gain, 5) : "–"} />
                <Line says="Offset" value={fit ? withUnit(fit.offset, unit) : "–"} />
                <Line
                  says="Linearity"
                  value={
                    fit
                      ? fit.linearity == null
                        ? "needs three levels"
                        : fit.linearity < 1e-4
                          ? "< 0.01\u202f%"
                          : withUnit(fit.linearity * 100, "%", 2)
                      : "–"
                  }
                />
                <Line says="Worst deviation" value={fit ? withUnit(fit.worst * 100, "%", 3) : "–"} />
                <Line says="As found" value={`${plain(channel.sensitivity.value)} ${channel.sensitivity.unit}`} />
                <Line
                  says="By this check"
                  value={fit ? `${plain(fit.sensitivity.value)} ${fit.sensitivity.unit}` : "–"}
                  strong
                />
              </dl>
              {fit && Math.abs(change) > 0.1 && (
                <p className="text-[13px] text-lamp">
                  ▲ {digits(change * 100, 2)} % is more than a sensor drifts; look at unit, cable and mounting first.
                </p>
              )}
              <div className="mt-3 flex gap-3">
                <Button look="main" disabled={!fit || busy !== ""} onClick={() => judge(true)}>
                  Accept
                </Button>
                <Button disabled={!fit || busy !== ""} onClick={() => judge(false)}>
                  Reject
                </Button>
              </div>
            </div>
          </Panel>
        </aside>
      </div>
    </>
  );
}

function Line({ says, value, strong }: { says: string; value: string; strong?: boolean }) {
  return (
    <>
      <dt className="border-t border-rule text-soft">{says}</dt>
      <dd className={`num border-t border-rule text-right ${strong ? "font-bold" : ""}`}>{value}</dd>
    </>
  );
}
