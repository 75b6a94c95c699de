/** The bar that is the same everywhere: who is connected, what is captured, the orders. */
import {
  Listbox,
  ListboxButton,
  ListboxOption,
  ListboxOptions,
  Popover,
  PopoverButton,
  PopoverPanel,
} from "@headlessui/react";
import { useQuery } from "@tanstack/react-query";
import { Fragment, useState } from "react";
import { NavLink, useLocation, useNavigate } from "react-router";
import { api, type Status, told } from "../api/client";
import { useAge, useConnected, useStatus } from "../api/live";
import { usePlan } from "../api/queries";
import { useMay } from "../people/me";
import { PersonMenu } from "../people/PersonMenu";
import { zoneLook } from "../stations/run/panes/LimitsPane";
import { Button } from "../ui/Button";
import { bytes, clock, rate, span, withUnit } from "../ui/format";
import { NamedButton } from "../ui/NamedButton";
import { openByEnter } from "../ui/Word";
import { stationOf, useTo, within } from "./address";
import { captureName, type Order, orders, progressOf, sessionOf, stateLook } from "./capture";
import { useCampaign, useMeasured } from "./useCampaign";

type Props = {
  onOrder: (what: Order) => void;
  onError: (says: string) => void;
  /** Stands where the campaign is chosen, on pages that show none. */
  title?: string;
};

export function WatchBar({ onOrder, onError, title }: Props) {
  const status = useStatus();
  const connected = useConnected();
  const age = useAge();
  const { id } = useCampaign();
  const to = useTo();
  const measures = useMay("measure");
  const own = useMeasured() === id && measures;
  const room = usePlan(id).data?.sums.room_s;
  const state = captureName(status);
  const look = stateLook[state];
  const going = progressOf(status);
  const link = status?.link;
  const driving = link?.link === "connected" ? link.units.find((u) => (u.output?.peak_v ?? 0) > 0) : undefined;
  const ready = connected && status?.store && status.link.link === "connected";
  return (
    <header className="flex items-center gap-4 border-b border-rule px-3">
      {title ? <h1 className="text-[16px] font-semibold">{title}</h1> : <CampaignChoice />}
      <span className="h-5 border-l border-rule" />
      <LinkChoice status={status} />
      {status && !status.store && (
        <span role="status" className="text-reef">
          ■ Database unreachable
        </span>
      )}
      {status?.store && own && room !== undefined && !going && (
        <span className="text-[13px] text-soft">room for {span(room)}</span>
      )}
      <span className="ml-auto" />
      {driving && (
        <Button look="hot" hint="⇧ Esc" onClick={() => orders.emergencyStop().catch((e: Error) => onError(e.message))}>
          Emergency stop: output {withUnit(driving.output?.peak_v, "V", 3)}
        </Button>
      )}
      {status?.faults && (
        <span className="truncate text-reef" title={status.faults} role="alert">
          {status.faults}
        </span>
      )}
      {status && status.alarm !== "good" && (
        <NavLink to={to("/plan/limits")} className={`whitespace-nowrap ${zoneLook[status.alarm].colour}`}>
          {zoneLook[status.alarm].shape} {zoneLook[status.alarm].word}
        </NavLink>
      )}
      {going ? (
        <Going status={status} age={age} />
      ) : state === "armed" ? (
        <Armed status={status} />
      ) : (
        <Ended status={status} />
      )}
      {age > 0 && (
        <span className="whitespace-nowrap text-lamp">
          <span role="alert" className="sr-only">
            The status is old: the server has not told a newer one.
          </span>
          <span aria-hidden>▲ as of {age} s ago</span>
        </span>
      )}
      {!going && (
        <span role="status" className={`font-semibold whitespace-nowrap ${age > 0 ? "text-soft" : look.colour}`}>
          {look.shape} {look.word}
          {age > 0 && "?"}
        </span>
      )}
      {own && state === "idle" && (
        <Button hint="A" disabled={!ready} onClick={() => onOrder("arm")}>
          Arm
        </Button>
      )}
      {own && (state === "idle" || state === "armed") && (
        <Button look="hot" hint="R" disabled={!ready} onClick={() => onOrder("record")}>
          Record
        </Button>
      )}
      {(state === "recording" || state === "armed") && (
        <Button hint="⇧ S" onClick={() => onOrder("stop")}>
          Stop
        </Button>
      )}
      <PersonMenu />
    </header>
  );
}

function Going({ status, age }: { status: Status | undefined; age: number }) {
  const p = progressOf(status);
  if (!p) return null;
  const look = stateLook[captureName(status)];
  const s = p.samples / p.sample_rate_hz;
  const left = p.planned ? p.planned / p.sample_rate_hz - s : undefined;
  return (
    <span className="flex items-baseline gap-3 whitespace-nowrap">
      <span role="status" className={`font-semibold ${age > 0 ? "text-soft" : look.colour}`}>
        {look.shape} {look.word} {p.number}
        {age > 0 && "?"}
      </span>
      <span className="num text-[16px]">{clock(s)}</span>
      <span className="text-[13px] text-soft">
        {left !== undefined && left > 0 && `${left.toFixed(1)} s left · `}
        {p.who !== "engineer" && `by ${p.who} · `}
        {p.channels} ch × {rate(p.sample_rate_hz)} ·{" "}
        {p.lost_blocks === 0 ? "no gaps" : <b className="text-reef">{p.lost_blocks} blocks lost</b>}
        {p.own_store && (
          <b className="text-lamp">
            {" "}
            ·{" "}
            {p.own_store.of
              ? `retrieving ${p.own_store.moved} of ${p.own_store.of} blocks`
              : "link lost, the front end goes on recording"}
          </b>
        )}
        {p.store_away && <b className="text-reef"> · database unreachable, {bytes(p.held_bytes)} held in memory</b>}
      </span>
    </span>
  );
}

/** What is waited for, and how many takes there are. */
function Armed({ status }: { status: Status | undefined }) {
  const s = sessionOf(status);
  if (!s) return null;
  const says = `waits until ${s.waits_for}`;
  return (
    <span className="truncate text-[13px] text-soft" title={says}>
      {s.own_store && <b className="text-lamp">link lost, the front end goes on recording · </b>}
      {s.waits_for === "Record" ? "waits for Record" : says}
      {s.takes_planned !== 1 && ` · ${s.takes}${s.takes_planned ? ` of ${s.takes_planned}` : ""} takes`}
    </span>
  );
}

function Ended({ status }: { status: Status | undefined }) {
  const e = status?.ended;
  if (!e) return null;
  return (
    <span className={`truncate text-[13px] ${e.whole ? "text-soft" : "text-reef"}`} title={e.because}>
      {e.whole ? "" : "▣ "}run {e.number}: {e.because}
      {e.lost_blocks > 0 && `, ${e.lost_blocks} blocks lost`}
    </span>
  );
}

/** Campaigns in the quick list; the shelf has all of them. */
const MOST_LISTED = 12;

function CampaignChoice() {
  const { campaign, all, loaded } = useCampaign();
  const measured = useMeasured();
  const navigate = useNavigate();
  const station = stationOf(useLocation().pathname) ?? "rig";
  return (
    <Listbox
      value={campaign?.id ?? 0}
      onChange={(id: number) => navigate(id ? within(id, `/${station}`) : "/campaigns")}
    >
      <ListboxButton as={Fragment}>
        <NamedButton
          label="Campaign"
          className="max-w-72 truncate text-left text-[16px] font-semibold"
          onKeyDown={openByEnter}
        >
          {campaign?.name ?? (loaded ? "No campaign" : "…")}
        </NamedButton>
      </ListboxButton>
      <ListboxOptions anchor="bottom start" className="panel z-30 py-1 shadow-lg outline-none">
        {all.slice(0, MOST_LISTED).map((c) => (
          <ListboxOption
            key={c.id}
            value={c.id}
            className="cursor-pointer px-3 py-1 data-focus:bg-shoal data-selected:font-semibold"
          >
            {c.name}
            {c.id === measured && <span className="pl-2 text-[12px] font-normal text-soft">measuring</span>}
          </ListboxOption>
        ))}
        <ListboxOption
          value={0}
          className="cursor-pointer border-t border-rule px-3 py-1 text-harbour data-focus:bg-shoal"
        >
          All campaigns, begin another …
        </ListboxOption>
      </ListboxOptions>
    </Listbox>
  );
}

function linkWords(status: Status | undefined): { shape: string; colour: string; says: string } {
  const link = status?.link;
  if (!link || link.link === "none") return { shape: "◇", colour: "text-lamp", says: "no front end chosen" };
  if (link.link === "connecting")
    return { shape: "◇", colour: "text-reef", says: `front end at ${link.address} not reached` };
  if (link.refused) return { shape: "◈", colour: "text-reef", says: "front end rejected the settings" };
  const clockSays = link.clock_locked ? "clock locked" : "clock not locked";
  return {
    shape: "◆",
    colour: link.clock_locked ? "text-lee" : "text-lamp",
    says: `${link.front_end.model} · ${clockSays}`,
  };
}

/** The front end: which, and by which address. */
function LinkChoice({ status }: { status: Status | undefined }) {
  const words = linkWords(status);
  const link = status?.link;
  const address = link && link.link !== "none" ? link.address : "";
  return (
    <Popover className="min-w-0">
      <PopoverButton className="flex items-center gap-1.5 truncate text-[13px]" aria-label={`Front end: ${words.says}`}>
        <span className={words.colour}>{words.shape}</span>
        <span className="truncate">{words.says}</span>
      </PopoverButton>
      <PopoverPanel anchor="bottom start" className="panel z-30 mt-2 w-96 p-4 shadow-lg">
        <LinkForm
          address={address}
          says={link?.link === "connecting" ? link.says : (link?.link === "connected" && link.refused) || ""}
        />
      </PopoverPanel>
    </Popover>
  );
}

function LinkForm({ address, says }: { address: string; says: string }) {
  const [text, setText] = useState(address);
  const [wrong, setWrong] = useState("");
  const found = useQuery({
    queryKey: ["found"],
    queryFn: () => told(api.GET("/api/front-ends")),
    refetchInterval: 2000,
  });
  const connect = async (to: string) => {
    setText(to);
    setWrong("");
    await orders.connect(to).catch((e: Error) => setWrong(e.message));
  };
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        connect(text);
      }}
    >
      {says && <p className="text-[13px] text-reef">{says}. Check its power, its cable and the address.</p>}
      <label className="flex items-baseline gap-2">
        Front end at
        <input className="word w-56" value={text} onChange={(e) => setText(e.target.value)} placeholder="host:port" />
      </label>
      {wrong && (
        <p role="alert" className="text-[13px] text-reef">
          {wrong}
        </p>
      )}
      <div className="text-[13px] text-soft">
        {found.data?.length ? "Found on the network:" : "None has announced itself on the network; type its address."}
        {found.data?.map((f) => (
          <button
            type="button"
            key={f.address}
            className="block w-full py-1 text-left text-harbour hover:bg-shoal"
            onClick={() => connect(f.address)}
          >
            {f.model}, serial {f.serial} at <span className="num">{f.address}</span>
          </button>
        ))}
      </div>
      <Button look="main" type="submit" className="self-start">
        Connect
      </Button>
    </form>
  );
}
