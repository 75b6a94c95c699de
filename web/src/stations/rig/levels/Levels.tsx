/** Levels before trust: meter bridge, list of loud channels, overload memory, ranging by listening. */
import { useEffect, useMemo, useRef, useState } from "react";
import { api, type RigBody, told } from "../../../api/client";
import type { Level } from "../../../api/live";
import { orders } from "../../../shell/capture";
import { useKeys } from "../../../shell/keys";
import { useCampaign } from "../../../shell/useCampaign";
import { Button } from "../../../ui/Button";
import { NumberWord } from "../../../ui/EntryWord";
import { withUnit } from "../../../ui/format";
import { Panel, Wrong } from "../../../ui/Panel";
import { useEditing } from "../editing";
import { PatchBay } from "../PatchBay";
import { ReviewDialog } from "../ReviewDialog";
import { useSelection } from "../selection";
import { Bridge } from "./Bridge";
import { Panes } from "./Panes";

export function Levels({ body }: { body: RigBody }) {
  const { id } = useCampaign();
  const editing = useEditing(id, body);
  const { selected, select } = useSelection(1);
  const channels = useMemo(() => body.rig.channels.filter((c) => c.on), [body.rig.channels]);
  const [levels, setLevels] = useState<Level[]>([]);
  const [panes, setPanes] = useState<number[]>([]);
  const [share, setShare] = useState(0.7);
  const [error, setError] = useState<Error>();
  const last = useRef(0);
  const open = (input: number) => setPanes((p) => (p.includes(input) ? p : [...p, input].slice(-12)));

  // The list beside the bars is read, not watched: four times a second is enough.
  const heard = (l: Level[]) => {
    if (performance.now() - last.current < 250) return;
    last.current = performance.now();
    setLevels(l);
  };
  const loud = levels.filter((l) => l.held >= share || l.overHeld).sort((a, b) => b.held - a.held);
  const over = levels.filter((l) => l.overHeld).length;

  useKeys("Levels", panes.length ? [{ key: "Escape", says: "Close the panels", run: () => setPanes([]) }] : []);

  const name = (input: number) => channels.find((c) => c.input === input);
  return (
    <>
      <Wrong error={error} />
      <div className="flex min-h-0 flex-1 gap-3">
        <Panel
          title="Meter bridge"
          says={`${channels.length} channels, peak as a share of range: now and held`}
          className="flex-1"
          aside={
            <>
              {over > 0 && <span className="whitespace-nowrap text-reef">■ {over} over range</span>}
              {panes.length > 0 && (
                <Button onClick={() => setPanes([])} hint="Esc">
                  Close {panes.length} {panes.length === 1 ? "panel" : "panels"}
                </Button>
              )}
              <Button onClick={() => orders.resetLevels(selected).catch(setError)}>
                Reset {name(selected)?.label ?? "one"}
              </Button>
              <Button onClick={() => orders.resetLevels().catch(setError)}>Reset all</Button>
            </>
          }
        >
          <div className="flex min-h-0 flex-1 flex-col px-3 pb-2">
            <Bridge channels={channels} selected={selected} onSelect={select} onOpen={open} onLevels={heard} />
            <p className="pt-1 text-[12px] text-soft">
              Arrows walk, Enter or double-click opens the waveform. A bar that was over its range keeps a block on top
              until it is reset.
            </p>
          </div>
        </Panel>
        <aside className="flex w-[300px] shrink-0 flex-col gap-2 overflow-y-auto">
          <PatchBay rig={body} selected={[selected]} onSelect={select} />
          <Listening body={body} editing={editing} onError={setError} />
          <Panel
            title="Loud channels"
            className="min-h-28 flex-1"
            aside={
              <span className="text-[13px] text-soft">
                above{" "}
                <NumberWord
                  label="Share of range, percent"
                  what="the share"
                  value={Math.round(share * 100)}
                  unit="%"
                  low={1}
                  high={100}
                  onSet={(x) => setShare(x / 100)}
                />
              </span>
            }
          >
            <ul className="min-h-0 flex-1 overflow-auto px-3 pb-2 text-[13px]">
              {loud.length === 0 && <li className="text-soft">None since the last reset.</li>}
              {loud.map((l) => {
                const c = name(l.input);
                return (
                  <li key={l.input}>
                    <button
                      type="button"
                      className="flex w-full gap-2 text-left hover:bg-shoal"
                      onClick={() => {
                        select(l.input);
                        open(l.input);
                      }}
                    >
                      <span className={l.overHeld ? "text-reef" : "text-lamp"}>{l.overHeld ? "■" : "▲"}</span>
                      <span className="num">{c?.label}</span>
                      <span className="truncate">{c?.name}</span>
                      <span className="num ml-auto">{withUnit(l.held * 100, "%", 3)}</span>
                    </button>
                  </li>
                );
              })}
            </ul>
          </Panel>
        </aside>
      </div>
      <Panes
        channels={channels.filter((c) => panes.includes(c.input))}
        onClose={(input) => setPanes((p) => (input === undefined ? [] : p.filter((i) => i !== input)))}
      />
      <ReviewDialog rig={body} editing={editing} />
    </>
  );
}

function Listening({
  body,
  editing,
  onError,
}: {
  body: RigBody;
  editing: ReturnType<typeof useEditing>;
  onError: (e: Error | undefined) => void;
}) {
  const { id } = useCampaign();
  const [seconds, setSeconds] = useState(10);
  const [room, setRoom] = useState(2);
  const [left, setLeft] = useState<number>();
  const [says, setSays] = useState("");
  const timer = useRef<number>(undefined);
  useEffect(() => () => window.clearInterval(timer.current), []);

  const end = async () => {
    setLeft(undefined);
    try {
      const found = await told(
        api.GET("/api/campaigns/{id}/rig/ranges", { params: { path: { id: id ?? 0 }, query: { headroom: room } } }),
      );
      const again = found.filter((f) => f.listen_again).length;
      setSays(
        found.length === 0
          ? "Every range fits what was heard."
          : `${found.length} ranges should be others${again ? `; ${again} were exceeded, listen again after` : ""}.`,
      );
      if (found.length > 0)
        await editing.look({ cells: found.map((f) => f.cell) }, `ranges for ${room} times the peak`);
    } catch (e) {
      onError(e as Error);
    }
  };
  const start = async () => {
    onError(undefined);
    setSays("");
    try {
      await orders.resetLevels();
    } catch (e) {
      return onError(e as Error);
    }
    const until = performance.now() + seconds * 1000;
    setLeft(seconds);
    timer.current = window.setInterval(() => {
      const rest = (until - performance.now()) / 1000;
      setLeft(Math.max(rest, 0));
      if (rest <= 0) {
        window.clearInterval(timer.current);
        end();
      }
    }, 200);
  };
  const stop = () => {
    window.clearInterval(timer.current);
    setLeft(undefined);
  };
  const on = body.rig.channels.some((c) => c.on);
  return (
    <Panel title="Auto-range">
      <div className="px-3 pb-3 text-[13px] leading-6">
        <p>
          Listen for{" "}
          <NumberWord
            label="Listening time, seconds"
            what="the listening time"
            value={seconds}
            unit="s"
            low={1}
            high={3600}
            onSet={setSeconds}
          />{" "}
          and choose ranges with room for{" "}
          <NumberWord
            label="Headroom, times the peak"
            what="the headroom"
            value={room}
            unit="×"
            low={1}
            high={100}
            onSet={setRoom}
          />{" "}
          the loudest moment.
        </p>
        {left === undefined ? (
          <Button onClick={start} disabled={!on}>
            Listen
          </Button>
        ) : (
          <div className="flex items-center gap-2">
            <progress className="flex-1" max={seconds} value={seconds - left} aria-label="Listening" />
            <span className="num">{left.toFixed(0)} s</span>
            <Button onClick={stop}>Stop</Button>
          </div>
        )}
        <p role="status" className="text-soft">
          {says}
        </p>
      </div>
    </Panel>
  );
}
