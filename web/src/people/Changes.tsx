/** Who changed what in a campaign, and when; the newest first. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schema, told } from "../api/client";
import { useCampaign } from "../shell/useCampaign";
import { moment } from "../ui/format";
import { Empty, Panel, Wrong } from "../ui/Panel";
import { TableMenu } from "../ui/TableMenu";

type Change = Schema["ChangeBody"];

/** What changed, in a line: the parts that are short, the rest by their names. */
export function changeSays(detail: unknown): string {
  if (detail === null || typeof detail !== "object") return String(detail ?? "");
  const part = ([key, value]: [string, unknown]): string => {
    const name = key.replaceAll("_", " ");
    if (value === null || value === undefined) return "";
    if (typeof value !== "object") return `${name} ${value}`;
    const text = JSON.stringify(value);
    return text.length <= 80 ? `${name} ${text.replaceAll('"', "").replaceAll(",", ", ")}` : `${name} …`;
  };
  return Object.entries(detail).map(part).filter(Boolean).join("; ");
}

export function Changes() {
  const { id } = useCampaign();
  const [text, setText] = useState("");
  const asked = useQuery({
    queryKey: ["changes", id],
    enabled: id !== undefined,
    queryFn: () => told(api.GET("/api/campaigns/{id}/changes", { params: { path: { id: id ?? 0 } } })),
  });
  const words = text.toLowerCase().split(/\s+/);
  const about = (c: Change) => `${c.who} ${c.what} ${JSON.stringify(c.detail)} ${moment(c.at)}`.toLowerCase();
  const rows = (asked.data ?? []).filter((c) => words.every((w) => about(c).includes(w)));
  return (
    <Panel
      title="Changes"
      says="the newest 200, who and when"
      aside={<TableMenu name="changes" />}
      className="min-h-0 flex-1"
    >
      <Wrong error={asked.error} />
      <input
        aria-label="Find a change"
        placeholder="Find a change by person, word or day"
        className="mx-3 mb-1 w-96 border-b border-ink bg-transparent py-1"
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      {asked.data?.length === 0 && <Empty says="Nothing was changed yet." />}
      <div className="min-h-0 flex-1 overflow-auto px-3">
        <table className="w-full text-[13px]" aria-label="Changes">
          <tbody>
            {rows.map((c) => (
              <tr key={`${c.at} ${c.what} ${c.who}`} className="border-t border-rule align-top">
                <td className="num py-1 pr-4 whitespace-nowrap">{moment(c.at, true)}</td>
                <td className="pr-4 whitespace-nowrap">{c.who}</td>
                <td className="pr-4 whitespace-nowrap">{c.what}</td>
                <td className="w-full text-soft" title={JSON.stringify(c.detail, null, 1).slice(0, 4000)}>
                  {changeSays(c.detail)}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Panel>
  );
}
