/** Everything by name: stations, orders, runs, channels. */
import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions, Dialog, DialogPanel } from "@headlessui/react";
import { useState } from "react";
import { useNavigate } from "react-router";
import { useRig, useRuns } from "../api/queries";
import { stations } from "./CourseLine";
import { useCampaign } from "./useCampaign";

type Entry = { says: string; key?: string; act: () => void };

const setNight = () => {
  const root = document.documentElement;
  const night = root.dataset.theme !== "night";
  root.dataset.theme = night ? "night" : "";
};

export function Finder({
  open,
  onClose,
  onOrder,
}: {
  open: boolean;
  onClose: () => void;
  onOrder: (what: "arm" | "record" | "stop") => void;
}) {
  const [text, setText] = useState("");
  const go = useNavigate();
  const { id } = useCampaign();
  const runs = useRuns(id).data ?? [];
  const rig = useRig(id).data;
  const entries: Entry[] = [
    ...stations.map((s, i) => ({ says: `Go to ${s.name}`, key: `Alt+${i + 1}`, act: () => go(s.path) })),
    { says: "Arm", key: "A", act: () => onOrder("arm") },
    { says: "Record", key: "R", act: () => onOrder("record") },
    { says: "Stop", key: "Esc", act: () => onOrder("stop") },
    { says: "Day or night colours", act: setNight },
    ...[...runs].reverse().map((r) => ({ says: `Open run ${r.number}, ${r.kind}`, act: () => go(`/study/${r.id}`) })),
    ...(rig?.rig.channels ?? [])
      .filter((c) => c.name)
      .map((c) => ({ says: `Channel ${c.input}, ${c.name}`, act: () => go(`/rig?input=${c.input}`) })),
  ];
  const wanted = text.toLowerCase().split(/\s+/);
  const shown = entries.filter((e) => wanted.every((w) => e.says.toLowerCase().includes(w))).slice(0, 12);
  const close = () => {
    setText("");
    onClose();
  };
  return (
    <Dialog open={open} onClose={close} className="relative z-40">
      <div className="fixed inset-0 bg-ink/15" aria-hidden />
      <div className="fixed inset-x-0 top-24 mx-auto w-[30rem]">
        <DialogPanel className="panel p-3 shadow-xl">
          <Combobox
            value={null as Entry | null}
            onChange={(e: Entry | null) => {
              close();
              e?.act();
            }}
          >
            <ComboboxInput
              autoFocus
              aria-label="Find"
              placeholder="A station, an order, a run, a channel"
              className="w-full border-b-2 border-harbour bg-transparent px-1 py-1 text-[16px] outline-none"
              onChange={(e) => setText(e.target.value)}
            />
            <ComboboxOptions static className="mt-2 max-h-80 overflow-auto outline-none">
              {shown.map((e) => (
                <ComboboxOption key={e.says} value={e} className="flex cursor-pointer px-2 py-1 data-focus:bg-shoal">
                  {e.says}
                  {e.key && <kbd className="ml-auto">{e.key}</kbd>}
                </ComboboxOption>
              ))}
              {shown.length === 0 && <p className="px-2 py-1 text-soft">Nothing by that name.</p>}
            </ComboboxOptions>
          </Combobox>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
