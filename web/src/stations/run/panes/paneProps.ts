/** What a display on the bench gets. */
import type { Channel } from "../../../api/client";
import type { Pane } from "../bench";

export type PaneProps = { pane: Pane; channels: Channel[]; shown: Channel[]; frozen: boolean };
