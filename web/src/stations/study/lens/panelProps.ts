/** What a lens on the bench gets, and what its parts share. */
import type { Analysis, RunDetail, Schema } from "../../../api/client";
import type { Mark, Range } from "../../../ui/plot/Plot";
import type { Change, Panel } from "../bench";
import type { Laid } from "../laid";
import type { KeptBracket } from "../look";

export type PanelProps = {
  run: RunDetail;
  panel: Panel;
  /** Channels of the bench. */
  chosen: number[];
  bracket: Range;
  /** Brackets kept: a lens may look at one of them instead. */
  kept: KeptBracket[];
  /** What turns, and the tachometer it is read by. */
  markers: Schema["MarkersBody"] | undefined;
  /** Runs laid over this one. */
  laid: Laid[];
  shown: Record<string, Range | null>;
  /** Cursors drawn over a frequency axis. */
  marks: Mark[];
  /** Notes on the curves of any axis. */
  notes: (Mark & { axis: string; lens: string })[];
  band: Range | null;
  /** Whether the slip reads this one. */
  read: boolean;
  /** Sets parts of the panel; what is read while the page goes on is set on the panel as it is then. */
  onSet: (part: Change) => void;
  onClose: () => void;
  onBracket: (to: Range) => void;
  onBracketBack: () => void;
  onShown: (axis: string, to: Range | null) => void;
  onShownBack: (axis: string) => void;
  onPoint: (hz: number, perPixel: number, result: Analysis) => void;
  onBand: (to: Range) => void;
  onKeep: (recipe: object) => void;
  onReport: (recipe: object) => void;
};

export type Shared = PanelProps & { channels: number[]; unit: string };
