/** A quadrature encoder as it is heard now: counts, degrees, direction. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Channel, told } from "../../api/client";
import { NumberWord } from "../../ui/EntryWord";
import { digits } from "../../ui/format";
import { Empty, Panel } from "../../ui/Panel";
import { ChosenWord } from "../../ui/Word";

export function Encoder({ channels }: { channels: Channel[] }) {
  const volts = channels.filter((c) => c.quantity === "voltage");
  const [s, setS] = useState({ a: 0, b: 0, index: 0, lines: 32, multiple: 4, wrap: true, threshold: 2.5 });
  const a = s.a || volts[0]?.input || 0;
  const b = s.b || volts[1]?.input || 0;
  const set = (part: Partial<typeof s>) => setS({ ...s, ...part });
  const heard = useQuery({
    queryKey: ["encoder", s, a, b],
    enabled: a > 0 && b > 0,
    retry: false,
    refetchInterval: 500,
    queryFn: () =>
      told(
        api.POST("/api/encoders/read", {
          body: {
            a,
            b,
            index: s.index || null,
            lines: s.lines,
            multiple: s.multiple,
            reset_at_index: s.index > 0,
            wrap: s.wrap,
            threshold_v: s.threshold,
            seconds: 0.5,
          },
        }),
      ),
  });
  if (volts.length < 2)
    return (
      <Panel title="Encoder">
        <Empty says="An encoder needs two channels that measure voltage, tracks A and B. Switch them on in the rig." />
      </Panel>
    );
  const track = (label: string, value: number, key: "a" | "b" | "index", none = false) => (
    <ChosenWord
      label={label}
      value={value}
      options={[
        ...(none ? [{ value: 0, says: "no index" }] : []),
        ...volts.map((c) => ({ value: c.input, says: `${c.label} ${c.name}`, face: c.name })),
      ]}
      onSet={(v) => set({ [key]: v })}
    />
  );
  const e = heard.data;
  return (
    <Panel title="Encoder" says="two tracks a quarter of a line apart">
      <div className="px-3 pb-3 text-[15px] leading-8">
        Tracks {track("Track A", a, "a")} and {track("Track B", b, "b")}, {track("Index", s.index, "index", true)},{" "}
        <NumberWord
          label="Lines a turn"
          what="the number of lines"
          value={s.lines}
          low={1}
          high={100_000}
          whole
          onSet={(lines) => set({ lines })}
        />{" "}
        lines/rev,{" "}
        <ChosenWord
          label="Edges counted"
          value={s.multiple}
          options={[1, 2, 4].map((m) => ({ value: m, says: `×${m}` }))}
          onSet={(multiple) => set({ multiple })}
        />
        , high above{" "}
        <NumberWord
          label="Threshold of the tracks"
          value={s.threshold}
          unit="V"
          onSet={(threshold) => set({ threshold })}
        />
        ,{" "}
        <ChosenWord
          label="Degrees"
          value={s.wrap ? "wrap" : "on"}
          options={[
            { value: "wrap", says: "0° to 360°" },
            { value: "on", says: "counted on" },
          ]}
          onSet={(v) => set({ wrap: v === "wrap" })}
        />
        {heard.error && (
          <p role="alert" className="text-[13px] leading-5 text-reef">
            {heard.error.message}
          </p>
        )}
        {e && (
          <p>
            <span className="num text-[26px]">{digits(e.degrees, 5)}°</span>{" "}
            <span className="num">{digits(e.rpm, 4)} rpm</span>{" "}
            <span className="text-[13px] text-soft">
              {e.direction > 0 ? "A leads" : e.direction < 0 ? "B leads" : "at rest"} · {e.count} counts · {e.indices}{" "}
              index pulses{e.errors > 0 && ` · ${e.errors} steps of both tracks at once`}
            </span>
          </p>
        )}
      </div>
    </Panel>
  );
}
