/** A quadrature encoder as it is heard now: counts, degrees, direction. */
import { useQuery } from "@tanstack/react-query";
import { api, type Schema, told } from "../../api/client";
import { Button } from "../../ui/Button";
import { NumberWord } from "../../ui/EntryWord";
import { digits } from "../../ui/format";
import { Empty, Panel } from "../../ui/Panel";
import { ChosenWord } from "../../ui/Word";
import type { PlanProps } from "./planProps";

type EncoderPlan = Schema["Encoder"];

const usual: EncoderPlan = { a: 0, b: 0, index: null, lines: 32, multiple: 4, wrap: true, threshold_v: 2.5 };

/** Its settings are the plan's; as long as none are there, the first two channels that could be tracks. */
export function Encoder({ body, channels, set: setPlan }: PlanProps) {
  const volts = channels.filter((c) => c.quantity === "voltage");
  const kept = body.plan.encoder;
  const s = kept ?? { ...usual, a: volts[0]?.input ?? 0, b: volts[1]?.input ?? 0 };
  const set = (part: Partial<EncoderPlan>) => setPlan({ encoder: { ...s, ...part } });
  const heard = useQuery({
    queryKey: ["encoder", s],
    enabled: s.a > 0 && s.b > 0,
    retry: false,
    refetchInterval: 500,
    queryFn: () => told(api.POST("/api/encoders/read", { body: { encoder: s, seconds: 0.5 } })),
  });
  if (!kept && volts.length < 2)
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
        // One that is switched off meanwhile, or measures something else.
        ...(value && !volts.some((c) => c.input === value)
          ? [{ value, says: `input ${value}, measures no voltage` }]
          : []),
      ]}
      onSet={(v) => set({ [key]: v || null })}
    />
  );
  const e = heard.data;
  return (
    <Panel
      title="Encoder"
      says="two tracks a quarter of a line apart"
      aside={
        kept && (
          <Button look="link" onClick={() => void setPlan({ encoder: null }, "Encoder removed").catch(() => undefined)}>
            Remove
          </Button>
        )
      }
    >
      <div className="px-3 pb-3 text-[15px] leading-8">
        Tracks {track("Track A", s.a, "a")} and {track("Track B", s.b, "b")},{" "}
        {track("Index", s.index ?? 0, "index", true)},{" "}
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
          value={s.threshold_v}
          unit="V"
          onSet={(threshold_v) => set({ threshold_v })}
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
