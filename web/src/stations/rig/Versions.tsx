/** The rig's name and versions: keep under a name, compare, go back, take one from another campaign. */

import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useState } from "react";
import { api, type RigBody, type Schema, told } from "../../api/client";
import { useVersions } from "../../api/queries";
import { Button } from "../../ui/Button";
import { moment } from "../../ui/format";
import { columnOf } from "./columns";
import type { Editing } from "./editing";

type Which = { version?: number; kept?: number; says: string };

type Props = {
  campaign: number | undefined;
  body: RigBody;
  editing: Editing;
  onError: (e: Error | undefined) => void;
};

export function Versions({ campaign, body, editing, onError }: Props) {
  const versions = useVersions(campaign);
  const [name, setName] = useState("");
  const [which, setWhich] = useState<Which>();
  const [differ, setDiffer] = useState<Schema["CellChanged"][]>();
  const at = { path: { id: campaign ?? 0 } };

  const keep = async () => {
    try {
      editing.take(await told(api.POST("/api/campaigns/{id}/rig/keep", { params: at, body: { name } })));
      setName("");
      versions.refetch();
    } catch (e) {
      onError(e as Error);
    }
  };
  const compare = async (w: Which) => {
    const { says: _, ...query } = w;
    setWhich(w);
    setDiffer(undefined);
    try {
      setDiffer(await told(api.GET("/api/campaigns/{id}/rig/differences", { params: { ...at, query } })));
    } catch (e) {
      onError(e as Error);
    }
  };
  const take = async (w: Which) => {
    const { says: _, ...wanted } = w;
    try {
      editing.take(await told(api.POST("/api/campaigns/{id}/rig/take", { params: at, body: wanted })));
      setWhich(undefined);
      versions.refetch();
    } catch (e) {
      onError(e as Error);
    }
  };
  return (
    <Popover className="relative">
      <PopoverButton className="flex items-baseline gap-2 text-left whitespace-nowrap hover:text-harbour">
        <span className="max-w-52 truncate font-semibold">{body.rig.name}</span>
        <span className="text-[12px] text-soft">version {body.version} ▾</span>
      </PopoverButton>
      <PopoverPanel
        anchor="bottom start"
        className="panel z-30 flex max-h-[560px] w-[520px] flex-col gap-2 overflow-auto p-3 text-[13px] shadow-lg"
      >
        <form
          className="flex gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            keep();
          }}
        >
          <input
            aria-label="Name to save this rig under"
            placeholder="save this rig under a name"
            className="panel h-8 flex-1 px-2"
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
          <Button onClick={keep}>Save</Button>
        </form>
        {which && (
          <div className="border-y border-rule py-2">
            <p className="font-semibold">{differ ? `${differ.length} cells differ in ${which.says}` : "comparing …"}</p>
            <ul className="max-h-40 overflow-auto">
              {differ?.slice(0, 200).map((d) => (
                <li key={`${d.input}-${d.column}`}>
                  <span className="num">{d.input}</span> {columnOf(d.column)?.head}:{" "}
                  <span className="text-soft">{d.from || "nothing"}</span> here, {d.to || "nothing"} there
                </li>
              ))}
            </ul>
            <Button look="main" className="mt-1" disabled={!differ?.length} onClick={() => take(which)}>
              Restore {which.says}
            </Button>
          </div>
        )}
        {(versions.data?.kept.length ?? 0) > 0 && <span className="font-semibold">Kept under a name</span>}
        {versions.data?.kept.map((k) => (
          <button
            key={k.id}
            type="button"
            className="flex gap-2 text-left hover:bg-shoal"
            onClick={() => compare({ kept: k.id, says: `“${k.name}”` })}
          >
            <span className="font-semibold">{k.name}</span>
            <span className="truncate text-soft">{k.here ? `version ${k.version}` : k.campaign}</span>
            <span className="ml-auto text-soft">{moment(k.at)}</span>
          </button>
        ))}
        <span className="font-semibold">Versions</span>
        {versions.data?.versions.map((v) => (
          <button
            key={v.version}
            type="button"
            className="flex gap-2 text-left hover:bg-shoal"
            onClick={() => compare({ version: v.version, says: `version ${v.version}` })}
          >
            <span className="num w-8 text-right">{v.version}</span>
            <span className="truncate">{v.what}</span>
            <span className="ml-auto whitespace-nowrap text-soft">
              {v.who}, {moment(v.at)}
            </span>
          </button>
        ))}
      </PopoverPanel>
    </Popover>
  );
}
