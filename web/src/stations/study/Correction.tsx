/** A sensitivity put right after the fact, with a reason; the old ones stay readable. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type RunDetail, told } from "../../api/client";
import { Button } from "../../ui/Button";
import { plain } from "../../ui/format";
import { Wrong } from "../../ui/Panel";

type RunChannel = RunDetail["channels"][number];

export function Correction({ run, channel }: { run: number; channel: RunChannel }) {
  return (
    <Popover>
      <PopoverButton
        className="num border-b border-harbour text-[13px]"
        aria-label={`Sensitivity of ${channel.recorded.name}, put right`}
      >
        {plain(channel.sensitivity.value)} {channel.sensitivity.unit}
        {channel.history.length > 1 && " *"}
      </PopoverButton>
      <PopoverPanel anchor="bottom end" className="panel z-30 mt-2 w-[22rem] p-4 shadow-lg">
        {({ close }) => <Form run={run} channel={channel} onDone={close} />}
      </PopoverPanel>
    </Popover>
  );
}

function Form({ run, channel, onDone }: { run: number; channel: RunChannel; onDone: () => void }) {
  const client = useQueryClient();
  const [text, setText] = useState(`${plain(channel.sensitivity.value)} ${channel.sensitivity.unit}`);
  const [reason, setReason] = useState("");
  const [error, setError] = useState<Error>();
  const put = async () => {
    try {
      await told(
        api.POST("/api/runs/{id}/channels/{channel}/sensitivity", {
          params: { path: { id: run, channel: channel.channel } },
          body: { sensitivity: text, reason },
        }),
      );
      await Promise.all(
        ["run", "overview", "waveform", "spectrum"].map((k) => client.invalidateQueries({ queryKey: [k] })),
      );
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
        put();
      }}
    >
      <p className="leading-8">
        In this run {channel.recorded.name} has{" "}
        <input aria-label="Sensitivity" className="word w-44" value={text} onChange={(e) => setText(e.target.value)} />,
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
      <ol className="border-t border-rule pt-2 text-[12px] text-soft">
        {channel.history.map((h) => (
          <li key={h.at}>
            <span className="num">
              {plain(h.sensitivity.value)} {h.sensitivity.unit}
            </span>{" "}
            · {h.reason} · {h.who} · {new Date(h.at).toLocaleString("en-GB")}
          </li>
        ))}
      </ol>
    </form>
  );
}
