/** The shelf: all campaigns, and the sentence that begins another one. */
import { useEffect, useState } from "react";
import { api, showing, told } from "../api/client";
import { live, useConnected } from "../api/live";
import { useNews } from "../api/news";
import { stations } from "../shell/CourseLine";
import { type Order, orders } from "../shell/capture";
import { KeyList } from "../shell/KeyList";
import { useKeys } from "../shell/keys";
import { WatchBar } from "../shell/WatchBar";
import { Button } from "../ui/Button";
import { bytes, moment } from "../ui/format";
import { Wrong } from "../ui/Panel";
import { offerUndo, Undos } from "../ui/undo";
import { ChosenWord } from "../ui/Word";
import { Begin } from "./Begin";
import { Row } from "./Row";
import { found, type Order as RowOrder, orders as rowOrders } from "./rows";
import { type Shelved, useShelf, useShelfActs } from "./useShelf";

const size = (of: Shelved[]) => bytes(of.reduce((sum, c) => sum + c.bytes, 0));
const campaigns = (n: number) => `${n} ${n === 1 ? "campaign" : "campaigns"}`;

/** The five stations, empty: none of them is open without a campaign. */
function BareCourse() {
  return (
    <div className="row-span-2 flex flex-col border-r border-rule pt-2" aria-hidden>
      <span className="px-3 leading-4 font-bold">
        <span className="text-harbour">Fleet</span>
        <br />
        Echo
      </span>
      <ol className="mt-4 flex flex-1 flex-col">
        {stations.map((s, i) => (
          <li key={s.path} className="relative flex h-[94px] shrink gap-2 px-3 text-soft">
            {i < stations.length - 1 && (
              <span className="absolute top-5 left-[22px] h-[calc(100%-10px)] border-l-2 border-dotted border-soft" />
            )}
            <svg width="22" height="22" viewBox="0 0 22 22" aria-hidden className="relative shrink-0">
              <circle cx="11" cy="11" r="6" fill="var(--paper)" stroke="var(--ink-soft)" strokeWidth="2" />
            </svg>
            <span className="pt-px leading-4">{s.name}</span>
          </li>
        ))}
      </ol>
    </div>
  );
}

export function Shelf() {
  // No campaign is on the screen: what is done here is about any of them.
  showing(undefined);
  useEffect(() => live.shows(undefined), []);
  useNews();
  const shelf = useShelf();
  const connected = useConnected();
  const [text, setText] = useState("");
  const [order, setOrder] = useState<RowOrder>("worked");
  const [copied, setCopied] = useState<Shelved>();
  const [error, setError] = useState<Error>();
  const [keys, setKeys] = useState(false);
  const all = shelf.data ?? [];
  const there = all.filter((c) => !c.gone_at);
  const open = there.filter((c) => !c.archived_at);
  const archived = found(
    there.filter((c) => c.archived_at),
    text,
    order,
  );
  const rows = found(open, text, order);
  const give = async (what: Order) => {
    try {
      await orders[what]();
    } catch (e) {
      setError(e as Error);
    }
  };
  useKeys("Campaigns", [
    { key: "/", says: "Find a campaign", run: () => document.getElementById("find-campaign")?.focus() },
    { key: "n", says: "Begin a campaign", run: () => document.getElementById("begin-specimen")?.focus() },
    { key: "Shift+?", says: "This list of keys", run: () => setKeys(true) },
  ]);
  return (
    <div className="grid h-full grid-cols-[96px_1fr] grid-rows-[48px_1fr]">
      <BareCourse />
      <WatchBar title="Campaigns" onOrder={give} onError={(says) => setError(new Error(says))} />
      <main className="min-h-0 min-w-0 overflow-auto px-7">
        {!connected && (
          <Wrong error={new Error("The server does not answer; this page reconnects as soon as it does.")} />
        )}
        <Wrong error={error ?? shelf.error} />
        {shelf.data && <Begin all={there} first={there.length === 0} from={copied} />}
        {there.length > 0 && (
          <>
            <div className="flex items-center gap-5 pb-3">
              <input
                id="find-campaign"
                aria-label="Find a campaign"
                placeholder="Find a campaign, specimen or person"
                className="w-96 border-b border-ink bg-transparent py-1"
                value={text}
                onChange={(e) => setText(e.target.value)}
              />
              <span className="text-[13px]">
                {campaigns(rows.length)}, {size(rows)},{" "}
                <ChosenWord label="Order" value={order} options={rowOrders} onSet={setOrder} />
              </span>
              {open.some((c) => c.demo) && <RemoveDemo onError={setError} />}
            </div>
            <table className="w-full text-[13px]" aria-label="Campaigns">
              <thead className="border-b border-ink text-left text-soft">
                <tr>
                  <th className="pr-3 pb-1 text-right font-normal">Last worked on</th>
                  <th className="pb-1 font-normal">
                    <span className="sr-only">Drawing</span>
                  </th>
                  <th className="px-4 pb-1 font-normal">Campaign</th>
                  <th className="pb-1 font-normal">
                    <span className="grid w-[208px] grid-cols-[36px_43px_43px_43px_43px] text-center">
                      {stations.map((s) => (
                        <span key={s.path}>{s.name}</span>
                      ))}
                    </span>
                  </th>
                  <th className="pb-1 text-right font-normal">Runs</th>
                  <th className="pr-6 pb-1 text-right font-normal">Size</th>
                  <th className="pb-1 font-normal">Who</th>
                  <td />
                </tr>
              </thead>
              <tbody>
                {rows.map((c) => (
                  <Row key={c.id} c={c} onCopy={setCopied} />
                ))}
              </tbody>
            </table>
            {rows.length === 0 && open.length > 0 && (
              <p className="py-3 text-soft">No campaign holds all these words.</p>
            )}
          </>
        )}
        {archived.length > 0 && (
          <details className="py-3">
            <summary>
              <b>{archived.length} archived</b> <span className="text-soft">{size(archived)}</span>
            </summary>
            <table className="w-full text-[13px]" aria-label="Archived campaigns">
              <tbody>
                {archived.map((c) => (
                  <Row key={c.id} c={c} onCopy={setCopied} />
                ))}
              </tbody>
            </table>
          </details>
        )}
        <Deleted gone={all.filter((c) => c.gone_at)} onError={setError} />
      </main>
      <Undos />
      <KeyList open={keys} onClose={() => setKeys(false)} />
    </div>
  );
}

/** Takes all campaigns of the demo away at once. */
function RemoveDemo({ onError }: { onError: (e: Error) => void }) {
  const acts = useShelfActs();
  const remove = async () => {
    const gone = await told(api.POST("/api/shelf/remove-demo"));
    await acts.refresh();
    offerUndo(
      `the demo removed, ${campaigns(gone.length)}`,
      async () => {
        for (const id of gone) await acts.restore(id);
      },
      async () => {
        for (const id of gone) await acts.remove(id);
      },
    );
  };
  return (
    <Button look="link" className="ml-auto text-[13px]" onClick={() => remove().catch(onError)}>
      Remove the demo
    </Button>
  );
}

/** Campaigns that were deleted within a day. */
function Deleted({ gone, onError }: { gone: Shelved[]; onError: (e: Error) => void }) {
  const acts = useShelfActs();
  if (gone.length === 0) return null;
  return (
    <details className="py-3 text-[13px]">
      <summary>
        <b>{gone.length} deleted</b> <span className="text-soft">{size(gone)}, each can be brought back for a day</span>
      </summary>
      <ul className="py-1">
        {gone.map((c) => (
          <li key={c.id} className="flex items-center gap-4 py-0.5">
            <span className="w-80 truncate">{c.name}</span>
            <span className="num w-20 text-right">{bytes(c.bytes)}</span>
            <span className="text-soft">gone on {moment(c.gone_at ?? "")}</span>
            <Button look="link" aria-label={`Bring back ${c.name}`} onClick={() => acts.restore(c.id).catch(onError)}>
              Bring back
            </Button>
          </li>
        ))}
      </ul>
    </details>
  );
}
