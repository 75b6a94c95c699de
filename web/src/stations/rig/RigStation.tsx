import { useEffect, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import type { Caution, Channel, ChannelChange } from "../../api/client";
import { useChangeChannel, useRig } from "../../api/queries";
import { orders } from "../../shell/capture";
import { useCampaign } from "../../shell/useCampaign";
import { Button } from "../../ui/Button";
import { Empty, Wrong } from "../../ui/Panel";
import { Cautions } from "./Cautions";
import { ChannelTable } from "./ChannelTable";
import { backTo, columns } from "./columns";
import { PatchBay } from "./PatchBay";
import { Selected } from "./Selected";

type Undo = { input: number; change: ChannelChange };

/** Rig: what is connected, where it sits, and whether it lives. */
export function RigStation() {
  const { id } = useCampaign();
  const rig = useRig(id);
  const change = useChangeChannel(id);
  const [params, setParams] = useSearchParams();
  const selected = Number(params.get("input") ?? 1);
  const [wanted, setWanted] = useState("");
  const [error, setError] = useState<Error>();
  const undo = useRef<Undo[]>([]);
  const find = useRef<HTMLInputElement>(null);

  useEffect(() => {
    const slash = (e: KeyboardEvent) => {
      if (e.key === "/" && !(e.target as HTMLElement).closest("input,textarea")) {
        e.preventDefault();
        find.current?.focus();
      }
    };
    window.addEventListener("keydown", slash);
    return () => window.removeEventListener("keydown", slash);
  }, []);

  if (!rig.data) return rig.error ? <Wrong error={rig.error} /> : <Empty says="The rig is being read." />;
  const body = rig.data;
  const rows = body.rig.channels.filter((c) =>
    `${c.input} ${c.name} ${c.sensor} ${c.point} ${c.direction}`.toLowerCase().includes(wanted.toLowerCase()),
  );
  const select = (input: number) => setParams({ input: String(input) }, { replace: true });
  const before = (input: number) => body.rig.channels.find((c) => c.input === input) as Channel;

  const apply = async (input: number, what: ChannelChange, back: ChannelChange) => {
    setError(undefined);
    await change.mutateAsync({ input, change: what });
    undo.current.push({ input, change: back });
  };
  const takeBack = async () => {
    const last = undo.current.pop();
    if (last) await change.mutateAsync(last).catch(setError);
  };
  const fix = (c: Caution) => {
    if (!c.fix || !c.input) return;
    const column = columns.find((k) => Object.keys(c.fix ?? {}).some((f) => f === k.key));
    const row = before(c.input);
    apply(c.input, c.fix, column ? backTo(column, row) : {}).catch(setError);
  };

  return (
    <div className="flex min-h-0 flex-1 flex-col gap-2">
      <div className="flex items-center gap-3">
        <h1 className="font-semibold">{body.rig.name}</h1>
        <span className="text-[12px] text-soft">version {body.version}</span>
        <input
          ref={find}
          aria-label="Find in channels"
          placeholder={`Find in ${body.rig.channels.length} channels   /`}
          className="panel h-8 w-52 rounded-chart px-2"
          value={wanted}
          onChange={(e) => setWanted(e.target.value)}
          onKeyDown={(e) => e.key === "Escape" && setWanted("")}
        />
        {wanted && <span className="text-[13px] text-soft">{rows.length} found</span>}
        <span className="ml-auto" />
        <Button onClick={takeBack} hint="Ctrl Z" disabled={undo.current.length === 0}>
          Undo
        </Button>
        <Button onClick={() => orders.resetLevels().catch(setError)}>Reset held levels</Button>
      </div>
      <Wrong error={error} />
      <div className="flex min-h-0 flex-1 gap-3">
        <ChannelTable
          rig={body}
          rows={rows}
          selected={selected}
          onSelect={select}
          onUndo={takeBack}
          onChange={(input, what, column) =>
            apply(input, what, backTo(columns[column] as (typeof columns)[number], before(input)))
          }
        />
        <aside className="flex w-[246px] shrink-0 flex-col gap-2">
          <PatchBay rig={body} selected={selected} onSelect={select} />
          <Selected channel={body.rig.channels.find((c) => c.input === selected)} />
          <Cautions cautions={body.cautions} onFix={fix} onSelect={select} />
        </aside>
      </div>
    </div>
  );
}
