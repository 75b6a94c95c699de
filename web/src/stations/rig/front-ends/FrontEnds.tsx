/** The front ends: how they do, tests, restart, and the setup on them against the one here. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type RigBody, type Schema, told, type Unit } from "../../../api/client";
import { useStatus } from "../../../api/live";
import { orders } from "../../../shell/capture";
import { useCampaign } from "../../../shell/useCampaign";
import { Button } from "../../../ui/Button";
import { digits, moment, withUnit } from "../../../ui/format";
import { Panel, Wrong } from "../../../ui/Panel";
import { columnOf } from "../columns";
import { useEditing } from "../editing";
import { ReviewDialog } from "../ReviewDialog";

export function FrontEnds({ body }: { body: RigBody }) {
  const status = useStatus();
  const link = status?.link;
  const connected = link?.link === "connected" ? link : undefined;
  const { id } = useCampaign();
  const client = useQueryClient();
  const tests = useQuery({
    queryKey: ["self-tests", id],
    enabled: id !== undefined,
    queryFn: () => told(api.GET("/api/campaigns/{id}/self-tests", { params: { path: { id: id ?? 0 } } })),
  }).data;
  const [busy, setBusy] = useState(false);
  const [error, setError] = useState<Error>();
  const test = async (inputs: number[]) => {
    setBusy(true);
    setError(undefined);
    try {
      await told(api.POST("/api/front-ends/test", { body: { inputs } }));
      await client.invalidateQueries({ queryKey: ["self-tests", id] });
    } catch (e) {
      setError(e as Error);
    }
    setBusy(false);
  };
  const row = (input: number) => body.rig.channels.find((c) => c.input === input);
  const failed = tests?.filter((t) => !t.passed) ?? [];
  return (
    <>
      <Wrong error={error} />
      <div className="flex min-h-0 flex-1 gap-3">
        <div className="flex min-h-0 flex-1 flex-col gap-3 overflow-y-auto">
          <Panel title="Connected" says={connected ? connected.front_end.model : undefined} className="shrink-0">
            {connected ? (
              <ul className="px-3 pb-2">
                {connected.units.map((u, k) => (
                  <UnitLine
                    key={u.serial}
                    unit={u}
                    letter={connected.units.length > 1 ? String.fromCharCode(65 + k) : ""}
                    busy={busy}
                    onTest={() => test(Array.from({ length: u.inputs }, (_, i) => u.first_input + i))}
                    onRestart={() =>
                      told(api.POST("/api/front-ends/{unit}/restart", { params: { path: { unit: k } } })).catch(
                        setError,
                      )
                    }
                  />
                ))}
              </ul>
            ) : (
              <p className="px-3 pb-3 text-[13px]">
                {link?.link === "connecting" ? (
                  <>
                    <span className="text-lamp">▲</span> {link.address} does not answer
                    {link.says && `: ${link.says}`}. Check its power, its cable and its address. It is tried again every
                    second.
                  </>
                ) : (
                  "No front end is chosen. Choose one that was found, or type its address."
                )}
              </p>
            )}
          </Panel>
          <Panel
            title="Self-test"
            says={
              tests &&
              tests.length > 0 &&
              `${tests.length} inputs tested, ${failed.length} not in order; last ${moment(newest(tests))}`
            }
            className="min-h-52 flex-1"
            aside={
              <Button disabled={!connected || busy} onClick={() => test([])}>
                {busy ? "Testing …" : "Test all that are measured"}
              </Button>
            }
          >
            <div className="min-h-0 flex-1 overflow-auto px-3 pb-2 text-[13px]">
              {tests?.length === 0 && (
                <p className="text-soft">
                  Each input is shorted for noise and offset, and the supply current is sent through the sensor. Nothing
                  is recorded meanwhile.
                </p>
              )}
              <table className="w-full">
                <tbody>
                  {[...failed, ...(tests ?? []).filter((t) => t.passed)].map((t) => (
                    <tr
                      key={t.input}
                      className="border-b border-rule/70"
                      data-test={t.input}
                      title={`${moment(t.at)}, ${t.front_end}, asked for by ${t.who}`}
                    >
                      <td className={`w-6 ${t.passed ? "text-lee" : "text-reef"}`}>{t.passed ? "✓" : "■"}</td>
                      <td className="num w-12">{row(t.input)?.label}</td>
                      <td className="max-w-48 truncate">{row(t.input)?.name}</td>
                      <td>{t.says}</td>
                      <td className="num text-right whitespace-nowrap text-soft">
                        {t.bias_v === null || t.bias_v === undefined ? "" : `rest ${withUnit(t.bias_v, "V", 3)}`}
                      </td>
                      <td className="num w-20 text-right whitespace-nowrap text-soft">
                        {digits(t.offset_v * 1e6, 2)} µV
                      </td>
                      <td className="num w-28 text-right whitespace-nowrap text-soft">
                        {digits(t.noise_v * 1e6, 2)} µV rms
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </div>
          </Panel>
        </div>
        <aside className="flex w-[400px] shrink-0 flex-col gap-3 overflow-y-auto">
          <Choosing now={connected?.address ?? ""} onError={setError} />
          <Setup body={body} connected={connected !== undefined} onError={setError} />
        </aside>
      </div>
    </>
  );
}

const newest = (tests: { at: string }[]) =>
  tests
    .map((t) => t.at)
    .sort()
    .at(-1) ?? "";

type LineProps = { unit: Unit; letter: string; busy: boolean; onTest: () => void; onRestart: () => void };

function UnitLine({ unit: u, letter, busy, onTest, onRestart }: LineProps) {
  const [sure, setSure] = useState(false);
  const lost = u.clock_locked === false;
  return (
    <li className="flex items-center gap-4 border-t border-rule py-1.5 text-[13px]">
      {letter && <span className="num text-[20px]">{letter}</span>}
      <div className="w-52 leading-4">
        <span className="font-semibold">{u.model}</span>, serial {u.serial}
        <br />
        <span className="text-soft">
          software {u.firmware}, inputs {u.first_input} to {u.first_input + u.inputs - 1}
        </span>
      </div>
      <span className={lost ? "text-reef" : "text-lee"}>{lost ? "■ clock not locked" : "◆ clock locked"}</span>
      <span className="num">{u.temperature_c ? withUnit(u.temperature_c, "°C", 3) : ""}</span>
      {u.switched && <span className="text-lamp">● digital output on</span>}
      {u.dark_modules.length > 0 && (
        <span className="text-reef">■ no power in {u.dark_modules.join(", ")}: check its supply</span>
      )}
      <span className="ml-auto" />
      <Button onClick={onTest} disabled={busy}>
        Test
      </Button>
      {sure ? (
        <>
          <Button
            onClick={() => {
              setSure(false);
              onRestart();
            }}
          >
            Yes, restart it
          </Button>
          <Button look="link" onClick={() => setSure(false)}>
            No
          </Button>
        </>
      ) : (
        <Button onClick={() => setSure(true)}>Restart</Button>
      )}
    </li>
  );
}

function Choosing({ now, onError }: { now: string; onError: (e: Error | undefined) => void }) {
  const found = useQuery({
    queryKey: ["found"],
    queryFn: () => told(api.GET("/api/front-ends")),
    refetchInterval: 3000,
  });
  const [typed, setTyped] = useState("");
  const [chosen, setChosen] = useState<string[]>([]);
  const connect = (address: string) => {
    onError(undefined);
    orders.connect(address).catch(onError);
  };
  const used = now.split(",");
  return (
    <Panel title="Found on the network" className="shrink-0">
      <div className="px-3 pb-3 text-[13px]">
        {found.data?.length === 0 && <p className="text-soft">None announces itself. Type an address instead.</p>}
        {found.data?.map((f) => (
          <label key={f.address} className="flex items-center gap-2 border-t border-rule py-0.5">
            <input
              type="checkbox"
              checked={chosen.includes(f.address)}
              onChange={(e) =>
                setChosen((c) => (e.target.checked ? [...c, f.address] : c.filter((a) => a !== f.address)))
              }
            />
            {f.model}, serial {f.serial}
            <span className="num ml-auto text-soft">{f.address}</span>
            {used.includes(f.address) && <span className="text-lee">◆</span>}
          </label>
        ))}
        {chosen.length > 0 && (
          <Button className="mt-2" look="main" onClick={() => connect([...chosen].sort().join(","))}>
            {chosen.length === 1 ? "Connect it" : `Connect ${chosen.length} as one system`}
          </Button>
        )}
        <form
          className="mt-2 flex gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            connect(typed);
          }}
        >
          <input
            aria-label="Address of the front end, or of several with commas"
            placeholder={now || "host:port, several with commas"}
            className="panel h-8 min-w-0 flex-1 px-2"
            value={typed}
            onChange={(e) => setTyped(e.target.value)}
          />
          <Button onClick={() => connect(typed)}>Connect</Button>
        </form>
      </div>
    </Panel>
  );
}

function Setup({
  body,
  connected,
  onError,
}: {
  body: RigBody;
  connected: boolean;
  onError: (e: Error | undefined) => void;
}) {
  const { id } = useCampaign();
  const editing = useEditing(id, body);
  const [read, setRead] = useState<Schema["SetupBody"]>();
  const again = async () => {
    onError(undefined);
    try {
      setRead(await told(api.GET("/api/front-ends/setup")));
    } catch (e) {
      onError(e as Error);
    }
  };
  const write = async () => {
    try {
      await told(api.POST("/api/front-ends/setup"));
      await again();
    } catch (e) {
      onError(e as Error);
    }
  };
  const label = (input: number) => body.rig.channels.find((c) => c.input === input)?.label ?? input;
  const take = (list: Schema["CellChanged"][]) =>
    editing
      .look(
        { cells: list.map((d) => ({ input: d.input, column: d.column, text: d.from })) },
        "the device's setup taken",
      )
      .catch(onError);
  const part = (title: string, list: Schema["CellChanged"][]) => (
    <>
      <p className="mt-1 font-semibold">
        {title}: {list.length === 0 ? "the same as here" : `${list.length} differences`}
      </p>
      <ul className="max-h-56 overflow-auto">
        {list.map((d) => (
          <li key={`${d.input}-${d.column}`} className="flex gap-2 border-t border-rule">
            <span className="num w-10">{label(d.input)}</span>
            <span className="w-20 text-soft">{columnOf(d.column)?.head}</span>
            <span className="flex-1">
              {d.from} there, {d.to} here
            </span>
            <button type="button" className="text-harbour hover:underline" onClick={() => take([d])}>
              use the device’s value
            </button>
          </li>
        ))}
      </ul>
      {list.length > 1 && (
        <Button className="mt-1" onClick={() => take(list)}>
          Take all {list.length} from the device
        </Button>
      )}
    </>
  );
  return (
    <Panel title="Setup on the device" className="shrink-0">
      <div className="px-3 pb-3 text-[13px]">
        <p className="text-soft">
          The rig here is written to the front end as you change it. What was set there when it was connected is kept
          for comparison.
        </p>
        <div className="mt-2 flex gap-2">
          <Button disabled={!connected} onClick={again}>
            Read it back
          </Button>
          <Button disabled={!connected} onClick={write}>
            Send settings again
          </Button>
        </div>
        {read && (
          <>
            {part("Now", read.now)}
            {part("When it was found", read.found)}
          </>
        )}
      </div>
      <ReviewDialog rig={body} editing={editing} />
    </Panel>
  );
}
