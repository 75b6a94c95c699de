/** What was found in a file, as a sentence and a table in which it can be put right. */
import { useRig } from "../api/queries";
import { Button } from "../ui/Button";
import { digits, plain } from "../ui/format";
import { ChosenWord, TypedWord } from "../ui/Word";
import { isTaken, type Look, type Reading, withChannel, withTaken } from "./reading";

type Props = { campaign: number; look: Look; reading: Reading; onRead: (to: Reading) => void; name: string };

/** Channels that are shown at once: more are brought in as they are. */
const SHOWN = 64;

/** A number above zero, or nothing; anything else is refused. */
function positive(text: string, what: string): number | null {
  const t = text.trim().replace(/\s/g, "");
  if (t === "") return null;
  const x = Number(t);
  if (!Number.isFinite(x) || x <= 0) throw new Error(`${what} must be a number above 0, or empty, not “${text}”`);
  return x;
}

export function LookWords({ campaign, look, reading, onRead, name }: Props) {
  // Units that channels may have are the rig's.
  const units = useRig(campaign).data?.units.flatMap((q) => q.units) ?? [];
  const text = look.lines.length > 0 && look.kind !== "universal file";
  const columns = Math.max(look.channels.length + 1, look.lines[0]?.split(/[;,\t]/).length ?? 0);
  const rows = look.channels.slice(0, SHOWN);
  const said = (source: number) => reading.channels.find((c) => c.source === source);
  // A file with results alone has neither rate nor day, nor has one that is refused.
  const samples = look.channels.length > 0 || (look.results.length === 0 && look.kind !== "universal file");
  return (
    <div className="pt-1 text-[14px] leading-8">
      {look.results.length > 0 && (
        <ul aria-label={`Results of ${name}`} className="text-[13px] leading-6">
          {look.results.map((r) => (
            <li key={r.name}>
              <b>{r.name}</b>: {r.curves} {r.curves === 1 ? "curve" : "curves"}
              {r.unit && ` in ${r.unit}`}
              {r.along === "dof" ? ` over ${r.values} degrees of freedom` : ` along ${r.along}`}
              {r.along !== "dof" && `, ${plain(r.from)} to ${plain(r.to)}, ${r.values} values each`}
              {r.notes.map((n) => (
                <span key={n} className="block text-lamp">
                  ▲ {n}
                </span>
              ))}
            </li>
          ))}
        </ul>
      )}
      {samples && (
        <p>
          Called{" "}
          <TypedWord
            label={`${name}: what the run is called`}
            value={reading.kind}
            plain
            width="20ch"
            onSet={async (kind) => onRead({ ...reading, kind })}
          />
          , recorded on{" "}
          <TypedWord
            label={`${name}: when it was recorded`}
            value={reading.started_at ? reading.started_at.slice(0, 16).replace("T", " ") : ""}
            width="17ch"
            onSet={async (t) => {
              const at =
                t.trim() === "" ? null : new Date(`${t.trim().replace(" ", "T")}${t.includes(":") ? "" : "T12:00"}Z`);
              if (at && Number.isNaN(at.getTime()))
                throw new Error(
                  "when it was recorded must be a day such as 2025-11-26, or with its time 2025-11-26 14:30",
                );
              onRead({ ...reading, started_at: at?.toISOString() ?? null });
            }}
          />
          {text && (
            <>
              , time in{" "}
              <ChosenWord
                label={`${name}: column with the time`}
                value={reading.time_column ?? 1}
                options={[
                  { value: 0, says: "no column" },
                  ...Array.from({ length: Math.min(columns, 24) }, (_, i) => ({
                    value: i + 1,
                    says: `column ${i + 1}`,
                  })),
                ]}
                onSet={(time_column) => onRead({ ...reading, time_column, channels: [] })}
              />
            </>
          )}
          , at{" "}
          <TypedWord
            label={`${name}: sample rate in Hz`}
            value={reading.sample_rate_hz ? plain(reading.sample_rate_hz) : ""}
            width="9ch"
            onSet={async (t) => onRead({ ...reading, sample_rate_hz: positive(t, "the sample rate") })}
          />{" "}
          Hz{reading.sample_rate_hz ? "" : " (empty: as the file says)"}.
        </p>
      )}
      {look.refused && (
        <p role="alert" className="text-[13px] leading-5 text-reef">
          {look.refused}
        </p>
      )}
      {look.lines.length > 0 && (look.refused || !look.kind) && (
        <pre className="num max-h-28 overflow-auto bg-paper px-2 text-[12px] leading-5">{look.lines.join("\n")}</pre>
      )}
      {look.notes.length > 0 && (
        <ul className="text-[13px] leading-5 text-lamp">
          {look.notes.map((n) => (
            <li key={n}>▲ {n}</li>
          ))}
        </ul>
      )}
      {rows.length > 0 && (
        <div className="max-h-52 overflow-auto">
          <table className="w-full text-[13px] leading-6" aria-label={`Channels of ${name}`}>
            <thead className="sticky top-0 bg-sheet text-left text-soft">
              <tr>
                <th />
                <th className="font-normal">No.</th>
                <th className="font-normal">Name</th>
                <th className="font-normal">Unit</th>
                {look.full_scale && <th className="font-normal">Full scale is</th>}
                <th className="font-normal">Point</th>
                <th className="font-normal">Direction</th>
                <th className="font-normal">First values</th>
              </tr>
            </thead>
            <tbody>
              {rows.map((c) => {
                const now = said(c.source);
                const set = (to: Parameters<typeof withChannel>[3]) => onRead(withChannel(look, reading, c.source, to));
                const unit = now?.unit ?? c.taken_as ?? "";
                return (
                  <tr key={c.source} className="border-t border-rule">
                    <td>
                      <input
                        type="checkbox"
                        aria-label={`Bring in channel ${c.source} of ${name}`}
                        checked={isTaken(reading, c.source)}
                        onChange={(e) => onRead(withTaken(look, reading, c.source, e.target.checked))}
                      />
                    </td>
                    <td className="num">{c.source}</td>
                    <td>
                      <TypedWord
                        label={`Channel ${c.source} of ${name}, name`}
                        value={now?.name ?? c.name}
                        plain
                        width="22ch"
                        onSet={async (name) => set({ name })}
                      />
                    </td>
                    <td>
                      <ChosenWord
                        label={`Channel ${c.source} of ${name}, unit`}
                        value={unit}
                        empty={c.unit ? `${c.unit}: not known` : "none: V"}
                        options={units.map((u) => ({ value: u, says: u }))}
                        onSet={(unit) => set({ unit })}
                      />
                    </td>
                    {look.full_scale && (
                      <td>
                        <TypedWord
                          label={`Channel ${c.source} of ${name}, full scale`}
                          value={now?.full_scale ? plain(now.full_scale) : "1"}
                          width="9ch"
                          onSet={async (t) => set({ full_scale: positive(t, "full scale") })}
                        />{" "}
                        {unit || "V"}
                      </td>
                    )}
                    <td>
                      <TypedWord
                        label={`Channel ${c.source} of ${name}, point`}
                        value={now?.point ?? c.point}
                        plain
                        width="7ch"
                        onSet={async (point) => set({ point })}
                      />
                    </td>
                    <td>
                      <TypedWord
                        label={`Channel ${c.source} of ${name}, direction`}
                        value={now?.direction ?? c.direction}
                        plain
                        width="6ch"
                        onSet={async (direction) => set({ direction })}
                      />
                    </td>
                    <td className="num whitespace-nowrap text-soft">
                      {c.first
                        .slice(0, 4)
                        .map((x) => digits(x, 4))
                        .join("  ")}
                    </td>
                  </tr>
                );
              })}
            </tbody>
          </table>
          {look.channels.length > SHOWN && (
            <p className="text-soft">
              and {look.channels.length - SHOWN} more, which are brought in as they are{" "}
              {reading.channels.length ? (
                <Button look="link" onClick={() => onRead({ ...reading, channels: [] })}>
                  all as they are
                </Button>
              ) : null}
            </p>
          )}
        </div>
      )}
    </div>
  );
}
