/** What was entered wrong put right after the fact, with a reason; what stood there before stays readable. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { type QueryClient, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { api, type RunDetail, type Schema, told } from "../../api/client";
import { Button } from "../../ui/Button";
import { moment, plain } from "../../ui/format";
import { NamedButton } from "../../ui/NamedButton";
import { Wrong } from "../../ui/Panel";
import { ChosenWord } from "../../ui/Word";

type RunChannel = RunDetail["channels"][number];
type Column = Schema["CellRight"]["column"];
type What = "sensitivity" | Column;

const whats: { value: What; says: string }[] = [
  { value: "sensitivity", says: "sensitivity" },
  { value: "name", says: "name" },
  { value: "quantity", says: "quantity" },
  { value: "unit", says: "unit" },
  { value: "point", says: "point" },
  { value: "direction", says: "direction" },
  { value: "sensor", says: "sensor" },
];

/** Everything that is made of a run's entries is asked for anew. */
export const refreshed = (client: QueryClient) =>
  Promise.all(
    ["run", "overview", "waveform", "result", "readings", "events", "markers", "quality", "kept-results", "peaks"].map(
      (k) => client.invalidateQueries({ queryKey: [k] }),
    ),
  );

const now = (c: RunChannel, what: What): string => {
  switch (what) {
    case "sensitivity":
      return `${plain(c.sensitivity.value)} ${c.sensitivity.unit}`;
    case "quantity":
      return c.recorded.quantity;
    case "unit":
    case "name":
    case "point":
    case "direction":
    case "sensor":
      return c.recorded[what];
    default:
      return "";
  }
};

export function Correction({ run, channel }: { run: RunDetail; channel: RunChannel }) {
  const changed = channel.history.length > 1 || run.corrections.some((c) => c.channel === channel.channel);
  return (
    <Popover as="span">
      <PopoverButton
        as={NamedButton}
        label={`Sensitivity of ${channel.recorded.name}, put right`}
        className="num border-b border-harbour text-[13px]"
      >
        {now(channel, "sensitivity")}
        {changed && " *"}
      </PopoverButton>
      <PopoverPanel anchor="bottom end" className="panel z-30 mt-2 w-[24rem] p-4 shadow-lg">
        {({ close }) => <Form run={run} channel={channel} onDone={close} />}
      </PopoverPanel>
    </Popover>
  );
}

function Form({ run, channel, onDone }: { run: RunDetail; channel: RunChannel; onDone: () => void }) {
  const [what, setWhat] = useState<What>("sensitivity");
  const [text, setText] = useState(now(channel, "sensitivity"));
  const [sensitivity, setSensitivity] = useState("");
  const at = { path: { id: run.id, channel: channel.channel } };
  const put = (reason: string) =>
    what === "sensitivity"
      ? told(
          api.POST("/api/runs/{id}/channels/{channel}/sensitivity", {
            params: at,
            body: { sensitivity: text, reason },
          }),
        )
      : told(
          api.POST("/api/runs/{id}/channels/{channel}/cell", {
            params: at,
            body: { column: what, text, reason, ...(what === "quantity" ? { sensitivity } : {}) },
          }),
        );
  const before = [
    ...channel.history.map((h) => ({ ...h, says: `${plain(h.sensitivity.value)} ${h.sensitivity.unit}` })),
    ...run.corrections
      .filter((c) => c.channel === channel.channel)
      .map((c) => ({ ...c, says: `${c.field}: ${c.before || "nothing"} → ${c.after}` })),
  ].sort((a, b) => a.at.localeCompare(b.at));
  return (
    <Reasoned put={put} history={before} onDone={onDone}>
      In this run the{" "}
      <ChosenWord
        label="What is put right"
        value={what}
        options={whats}
        onSet={(w) => {
          setWhat(w);
          setText(now(channel, w));
        }}
      />{" "}
      of {channel.recorded.name} is{" "}
      <input
        aria-label={what === "sensitivity" ? "Sensitivity" : "Right value"}
        className="word w-44"
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      {what === "quantity" && (
        <>
          {" "}
          at{" "}
          <input
            aria-label="Sensitivity of the quantity"
            className="word w-36"
            placeholder="10 mV/…"
            value={sensitivity}
            onChange={(e) => setSensitivity(e.target.value)}
          />
        </>
      )}
      ,{" "}
    </Reasoned>
  );
}

type Before = { says: string; reason: string; who: string; at: string };

/** A sentence that ends in a reason, with what was put right before. */
export function Reasoned({
  put,
  history,
  onDone,
  children,
}: {
  put: (reason: string) => Promise<unknown>;
  history: Before[];
  onDone: () => void;
  children: ReactNode;
}) {
  const client = useQueryClient();
  const [reason, setReason] = useState("");
  const [error, setError] = useState<Error>();
  const go = async () => {
    try {
      await put(reason);
      await refreshed(client);
      onDone();
    } catch (e) {
      setError(e as Error);
    }
  };
  return (
    <form
      className="flex flex-col gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        go();
      }}
    >
      <p className="leading-8">
        {children}
        because{" "}
        <input
          aria-label="Reason"
          className="word w-56 font-sans! font-normal!"
          placeholder="why it changes"
          value={reason}
          onChange={(e) => setReason(e.target.value)}
        />
        .
      </p>
      <Wrong error={error} />
      <Button look="main" type="submit" className="self-start">
        Put right
      </Button>
      <ol className="max-h-48 overflow-auto border-t border-rule pt-2 text-[12px] text-soft">
        {history.map((h) => (
          <li key={`${h.at} ${h.says}`}>
            <span className="num">{h.says}</span> · {h.reason} · {h.who} · {moment(h.at, true)}
          </li>
        ))}
      </ol>
    </form>
  );
}
