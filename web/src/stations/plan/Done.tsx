/** What was done by itself, and what is still to be done: where each stands, again, and stopped. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, told } from "../../api/client";
import { useDoneByItself } from "../../api/queries";
import { useGo } from "../../shell/address";
import { Button } from "../../ui/Button";
import { moment } from "../../ui/format";
import { Empty, Panel, Wrong } from "../../ui/Panel";
import { type DeedBody, doneWords, endedWords } from "./afterwards";

export function Done({ campaign }: { campaign: number | undefined }) {
  const client = useQueryClient();
  const [error, setError] = useState<Error>();
  const list = useDoneByItself(campaign);
  const order = async (what: "again" | "stop", id: number) => {
    setError(undefined);
    try {
      const params = { path: { id } };
      await (what === "again"
        ? told(api.POST("/api/afterwards/{id}/again", { params }))
        : told(api.POST("/api/afterwards/{id}/stop", { params })));
      await client.invalidateQueries({ queryKey: ["done-by-itself", campaign] });
    } catch (e) {
      setError(e as Error);
    }
  };
  const all = list.data ?? [];
  const refused = all.filter((d) => d.state === "refused").length;
  return (
    <Panel
      title="What was done"
      says={all.length > 0 && `newest first${refused ? `; ${refused} could not be done` : ""}`}
    >
      <Wrong error={error ?? list.error} />
      {all.length === 0 ? (
        <Empty says="When something has ended, what is done by itself appears here with its state." />
      ) : (
        <div className="min-h-0 flex-1 overflow-auto px-3 pb-2 text-[13px]">
          <table className="w-full [&_td]:border-t [&_td]:border-rule [&_td]:py-0.5 [&_td]:pr-3 [&_td]:align-top [&_th]:pr-3">
            <thead className="text-left text-soft">
              <tr>
                <th className="font-normal">After</th>
                <th className="font-normal">What</th>
                <th className="font-normal">State</th>
                <th className="font-normal">Ended</th>
                <th aria-label="What can be done" />
              </tr>
            </thead>
            <tbody>
              {all.map((d) => (
                <tr key={d.id}>
                  <td className="whitespace-nowrap">{endedWords(d)}</td>
                  <td>{doneWords(d.what)}</td>
                  <td>
                    <State deed={d} />
                  </td>
                  <td className="num whitespace-nowrap">{moment(d.begun_at)}</td>
                  <td className="text-right whitespace-nowrap">
                    {(d.state === "refused" || d.state === "stopped") && (
                      <Button
                        look="link"
                        aria-label={`Try again: ${doneWords(d.what)}, ${endedWords(d)}`}
                        onClick={() => void order("again", d.id)}
                      >
                        Try again
                      </Button>
                    )}
                    {(d.state === "waiting" || d.state === "going") && (
                      <Button
                        look="link"
                        aria-label={`Stop: ${doneWords(d.what)}, ${endedWords(d)}`}
                        onClick={() => void order("stop", d.id)}
                      >
                        Stop
                      </Button>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </Panel>
  );
}

function State({ deed }: { deed: DeedBody }) {
  const go = useGo();
  switch (deed.state) {
    case "waiting":
      return <span className="text-soft">waits</span>;
    case "going":
      return <span className="num">{Math.round(100 * deed.share)} %</span>;
    case "stopped":
      return <span className="text-soft">stopped</span>;
    case "refused":
      return <span className="text-reef">▲ {deed.says}</span>;
    default:
      return deed.path ? (
        <span>
          ✓ done: <span className="break-all text-soft">{deed.path}</span>
        </span>
      ) : (
        <span>
          ✓ done{" "}
          {deed.run_id != null && (
            <Button look="link" onClick={() => go(`/study/${deed.run_id}`)}>
              Open in Study
            </Button>
          )}
        </span>
      );
  }
}
