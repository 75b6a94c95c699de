/** The channel table with its patch bay, details and cautions. */
import { useMemo, useRef, useState } from "react";
import type { RigBody } from "../../api/client";
import { useSavePlan } from "../../api/queries";
import { useKeys } from "../../shell/keys";
import { useCampaign } from "../../shell/useCampaign";
import { Button } from "../../ui/Button";
import { Wrong } from "../../ui/Panel";
import { Split } from "../../ui/Split";
import { Cautions, mendable } from "./Cautions";
import { ChannelTable } from "./ChannelTable";
import { columnOf } from "./columns";
import { useEditing } from "./editing";
import { mending } from "./mending";
import { PatchBay } from "./PatchBay";
import { ReviewDialog } from "./ReviewDialog";
import { Selected } from "./Selected";
import { Sheet } from "./Sheet";
import { useSelection } from "./selection";
import { directionsOf } from "./specimen/tables";
import { useSpecimen } from "./specimen/useSpecimen";
import { Versions } from "./Versions";
import { useRows, useView } from "./view";

export function Channels({ body }: { body: RigBody }) {
  const { id } = useCampaign();
  const editing = useEditing(id, body);
  const save = useSavePlan(id);
  const { selected, chosen, select } = useSelection(1);
  const [error, setError] = useState<Error>();
  const find = useRef<HTMLInputElement>(null);
  const { view, change, shown } = useView();
  const channels = body.rig.channels;
  const geometry = useSpecimen(id).data?.specimen.geometry;
  const places = useMemo(() => {
    if (!geometry?.points?.length) return undefined;
    const along = directionsOf(geometry);
    return { points: geometry.points.map((p) => p.name), directions: [...along, ...along.map((d) => `-${d}`)] };
  }, [geometry]);
  const rows = useRows(channels, body.cautions, view);

  const { fix, waive } = mending({ campaign: id, editing, savePlan: save.mutateAsync, onError: setError });

  useKeys("Channels", [
    { key: "Control+f", says: "Search the table", anywhere: true, run: () => find.current?.focus() },
    {
      key: "Alt+f",
      says: "Carry out the fix of the selected row's caution",
      anywhere: true,
      run: () => {
        const c = body.cautions.find((k) => k.input === selected && mendable(k));
        if (c) fix(c);
      },
    },
  ]);

  const all = useMemo(() => channels.filter((c) => chosen.includes(c.input)), [channels, chosen]);
  const chips = Object.entries(view.filters).filter(([, text]) => text);
  return (
    <>
      <div className="flex items-center gap-2">
        <Versions campaign={id} body={body} editing={editing} onError={setError} />
        <input
          ref={find}
          aria-label="Find in channels"
          placeholder={`Find in ${channels.length} channels`}
          title="Ctrl+F"
          className="panel h-8 w-44 rounded-chart px-2"
          value={view.search}
          onChange={(e) => change({ search: e.target.value })}
          onKeyDown={(e) => e.key === "Escape" && change({ search: "" })}
        />
        {chips.map(([key, text]) => (
          <button
            key={key}
            type="button"
            className="panel h-8 rounded-chart px-2 text-mark"
            onClick={() => change({ filters: { ...view.filters, [key]: "" } })}
          >
            {columnOf(key)?.head}: {text} ✕
          </button>
        ))}
        <label className="flex items-center gap-1 text-[13px] whitespace-nowrap">
          <input
            type="checkbox"
            checked={view.onlyCautions}
            onChange={(e) => change({ onlyCautions: e.target.checked })}
          />
          with cautions
        </label>
        <span role="status" className="truncate text-[13px] text-soft">
          {rows.length < channels.length && `${rows.length} of ${channels.length} shown`}
          {all.length > 1 && ` ${all.length} rows selected`}
        </span>
        <span className="ml-auto" />
        <Button onClick={() => editing.takeBack().catch(setError)} hint="Ctrl Z" disabled={!editing.canUndo}>
          Undo
        </Button>
        <Button onClick={() => editing.again().catch(setError)} hint="Ctrl Y" disabled={!editing.canRedo}>
          Redo
        </Button>
        <Sheet campaign={id} view={view} onView={change} editing={editing} version={body.version} onError={setError} />
      </div>
      <Wrong error={error} />
      <Split
        id="rig"
        label="Width of patch bay and cautions"
        size={21.5}
        least={16}
        most={45}
        first={
          <ChannelTable
            rig={body}
            places={places}
            rows={rows}
            shown={shown}
            view={view}
            onView={change}
            selected={selected}
            onSelect={select}
            editing={editing}
            onError={setError}
          />
        }
        second={
          <aside className="flex min-h-0 flex-1 flex-col gap-2 overflow-y-auto">
            <PatchBay rig={body} selected={chosen} onSelect={select} />
            <Selected rig={body} channel={channels.find((c) => c.input === selected)} all={all} editing={editing} />
            <Cautions cautions={body.cautions} onFix={fix} onWaive={waive} onSelect={select} selected={selected} />
          </aside>
        }
      />
      <ReviewDialog rig={body} editing={editing} />
    </>
  );
}
