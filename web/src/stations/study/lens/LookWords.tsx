/** How a lens is drawn, as words at the end of its sentence: scale, view, arrangement, colours. */

import { NumberWord } from "../../../ui/EntryWord";
import { ChosenWord } from "../../../ui/Word";
import { type Change, lookedAt, type MapColours, type Panel, type PanelLook, type Scale } from "../bench";
import { lensOf } from "./lenses";

const COMPLEX = ["order_track", "response", "cross"];
export const MAPS = ["order_map", "spectrogram"];
const PLAIN = ["statistics", "arrivals", "orbit"];

type Props = {
  panel: Panel;
  /** What leads from the sentence to these words. */
  lead?: string;
  onSet: (part: Change) => void;
};

export function LookWords({ panel, lead = ", ", onSet }: Props) {
  const kind = lensOf(panel.recipe.lens);
  const look = { scale: kind.scale ?? "linear", ...panel.look };
  const set = (part: Partial<PanelLook>) => onSet(lookedAt(part));
  const complex = COMPLEX.includes(kind.lens);
  const map = MAPS.includes(kind.lens) || (kind.lens === "rainflow" && look.by_mean === true);
  if (PLAIN.includes(kind.lens)) return null;
  const views = complex
    ? [
        { value: "bode", says: "amplitude and phase" },
        { value: "parts", says: "real and imaginary part" },
        { value: "polar", says: "polar" },
        { value: "table", says: "a table" },
      ]
    : [
        { value: "curve", says: "a curve" },
        { value: "table", says: "a table" },
      ];
  return (
    <>
      {!map && kind.lens !== "rainflow" && (
        <>
          {lead}
          {"as "}
          <ChosenWord
            label="View"
            value={look.view ?? (complex ? "bode" : "curve")}
            options={views}
            onSet={(view) => set({ view: view as PanelLook["view"] & string })}
          />
        </>
      )}
      {complex && (
        <>
          {" "}
          <ChosenWord
            label="Arrangement"
            value={look.arrange ?? "together"}
            options={[
              { value: "together", says: "together" },
              { value: "stacked", says: "stacked" },
              { value: "grid", says: "in a grid" },
            ]}
            onSet={(arrange) => set({ arrange: arrange as "together" | "stacked" | "grid" })}
          />
          <span>
            {", phase turned "}
            <NumberWord
              label="Phase turned"
              what="the angle"
              value={look.turn ?? 0}
              unit="°"
              low={-360}
              high={360}
              onSet={(turn) => set({ turn })}
            />
          </span>
        </>
      )}
      {kind.lens === "rainflow" && (
        <>
          {", as "}
          <ChosenWord
            label="View"
            value={look.by_mean ? "mean" : "range"}
            options={[
              { value: "range", says: "ranges" },
              { value: "mean", says: "ranges by mean" },
            ]}
            onSet={(v) => set({ by_mean: v === "mean" })}
          />
        </>
      )}
      {map && (
        <>
          {", in "}
          <ChosenWord
            label="Colours"
            value={look.map ?? "tide"}
            options={[
              { value: "tide", says: "blue-green" },
              { value: "ember", says: "red-brown" },
              { value: "grey", says: "grey" },
            ]}
            onSet={(m) => set({ map: m as MapColours })}
          />
        </>
      )}
      {kind.lens !== "speed" && kind.lens !== "waveform" && (
        <>
          {", "}
          <ScaleWords look={look} onSet={set} />
        </>
      )}
    </>
  );
}

/** The scale upward, and what 0 dB stands for. */
export function ScaleWords({ look, onSet }: { look: PanelLook; onSet: (part: Partial<PanelLook>) => void }) {
  return (
    <>
      <ChosenWord
        label="Scale"
        value={look.scale ?? "linear"}
        options={[
          { value: "linear", says: "linear" },
          { value: "log", says: "logarithmic" },
          { value: "db", says: "dB" },
        ]}
        // Limits in dB say nothing of what they are of.
        onSet={(scale) =>
          onSet({ scale: scale as Scale, ...([scale, look.scale].includes("db") ? { limits: undefined } : {}) })
        }
      />
      {look.scale === "db" && (
        <span>
          {" "}
          re{" "}
          <NumberWord
            label="Reference of dB"
            value={look.db_reference ?? 1}
            above={0}
            width="8ch"
            onSet={(db_reference) => onSet({ db_reference })}
          />
        </span>
      )}
    </>
  );
}
