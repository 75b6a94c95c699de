/** Everything by name: stations, orders, channels; runs, results and recorded channels of all campaigns. */
import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions, Dialog, DialogPanel } from "@headlessui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, type Schema, told } from "../api/client";
import { useCampaigns, useRig, useRuns } from "../api/queries";
import { setTheme, themeNow } from "../ui/theme";
import { useGo, within } from "./address";
import { stations } from "./CourseLine";
import type { Order } from "./capture";
import { useCampaign } from "./useCampaign";

type Entry = { says: string; key?: string; aside?: string; act: () => void };

/** What was found, with where it is from. */
function words(f: Schema["FoundBody"]): string {
  if (f.run_number == null) return `Result ${f.name}, ${f.campaign}`;
  const run = `run ${f.run_number} of ${f.campaign}`;
  if (f.what === "run") return `Open ${run}${f.name && `, ${f.name}`}`;
  return `${f.what === "result" ? "Result" : "Recorded channel"} ${f.name}, ${run}`;
}

export function Finder({
  open,
  onClose,
  onOrder,
}: {
  open: boolean;
  onClose: () => void;
  onOrder: (what: Order) => void;
}) {
  const [text, setText] = useState("");
  const go = useGo();
  const navigate = useNavigate();
  const { id } = useCampaign();
  const runs = useRuns(id).data ?? [];
  const campaigns = useCampaigns().data ?? [];
  const rig = useRig(id).data;
  const entries: Entry[] = [
    ...stations.map((s, i) => ({ says: `Go to ${s.name}`, key: `Alt+${i + 1}`, act: () => go(s.path) })),
    { says: "Go to the list of runs", act: () => go("/runs") },
    { says: "Go to the changes of this campaign", act: () => go("/changes") },
    { says: "All campaigns: begin a new campaign, open, archive or delete one", act: () => navigate("/campaigns") },
    { says: "Arm", key: "A", act: () => onOrder("arm") },
    { says: "Record", key: "R", act: () => onOrder("record") },
    { says: "Stop", key: "Shift+S", act: () => onOrder("stop") },
    {
      says: themeNow() === "day" ? "Night colours" : "Day colours",
      act: () => setTheme(themeNow() === "day" ? "night" : "day"),
    },
    ...campaigns
      .filter((c) => c.id !== id)
      .map((c) => ({ says: `Open campaign ${c.name}`, act: () => navigate(within(c.id, "/rig")) })),
    ...[...runs].reverse().map((r) => ({ says: `Open run ${r.number}, ${r.kind}`, act: () => go(`/study/${r.id}`) })),
    ...(rig?.rig.channels ?? [])
      .filter((c) => c.name)
      .map((c) => ({ says: `Channel ${c.input}, ${c.name}`, act: () => go(`/rig?input=${c.input}`) })),
  ];
  const found = useQuery({
    queryKey: ["find", text.trim()],
    enabled: open && text.trim().length > 1,
    staleTime: 5000,
    queryFn: ({ signal }) => told(api.GET("/api/find", { params: { query: { text: text.trim() } }, signal })),
  });
  const known = new Set(runs.map((r) => r.id));
  const beside: Entry[] = (found.data ?? [])
    .filter((f) => f.what !== "run" || !known.has(f.run_id ?? 0))
    .map((f) => ({
      says: words(f),
      aside: f.at.slice(0, 10),
      // It may belong to another campaign, which the address leads to.
      act: () =>
        navigate(within(f.campaign_id, `/study/${f.run_id ?? "newest"}${f.what === "result" ? "/results" : ""}`)),
    }));
  const wanted = text.toLowerCase().split(/\s+/);
  const shown = entries
    .filter((e) => wanted.every((w) => e.says.toLowerCase().includes(w)))
    .slice(0, 12)
    .concat(beside);
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
              placeholder="A station, an order, a run, a result, a channel, a day"
              className="w-full border-b-2 border-harbour bg-transparent px-1 py-1 text-[16px] outline-none"
              onChange={(e) => setText(e.target.value)}
            />
            <ComboboxOptions static className="mt-2 max-h-80 overflow-auto outline-none">
              {shown.map((e) => (
                <ComboboxOption
                  key={e.says + e.aside}
                  value={e}
                  className="flex cursor-pointer px-2 py-1 data-focus:bg-shoal"
                >
                  {e.says}
                  {e.key && <kbd className="ml-auto">{e.key}</kbd>}
                  {e.aside && (
                    <span className="num ml-auto pl-3 text-[12px] whitespace-nowrap text-soft">{e.aside}</span>
                  )}
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
