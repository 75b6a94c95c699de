/** Two sheets side by side or one over the other, with a bar between them that is dragged or moved by the arrows. How
 * they share the room is kept in this browser; a double click or Enter on the bar folds the second away and brings it
 * back. */
import { type ReactNode, useRef } from "react";
import { type ImperativePanelHandle, Panel, PanelGroup, PanelResizeHandle } from "react-resizable-panels";

type Props = {
  /** Under which the shares are kept. */
  id: string;
  /** What the bar moves, for people who do not see it. */
  label: string;
  upright?: boolean;
  first: ReactNode;
  second: ReactNode;
  /** Share of the second: usual, smallest and largest, %. */
  size: number;
  least: number;
  most?: number;
};

export function Split({ id, label, upright = false, first, second, size, least, most = 80 }: Props) {
  const folding = useRef<ImperativePanelHandle>(null);
  const fold = () => (folding.current?.isCollapsed() ? folding.current.expand() : folding.current?.collapse());
  const keys = (e: { key: string; preventDefault: () => void; stopPropagation: () => void }) => {
    if (e.key !== "Enter") return;
    fold();
    e.preventDefault();
    e.stopPropagation();
  };
  return (
    <PanelGroup
      autoSaveId={`split-${id}`}
      direction={upright ? "vertical" : "horizontal"}
      className="min-h-0 min-w-0 flex-1"
    >
      <Panel order={1} defaultSize={100 - size} minSize={100 - most} className="flex min-h-0 min-w-0 flex-col">
        {first}
      </Panel>
      <PanelResizeHandle
        aria-label={label}
        className={`group flex shrink-0 items-center justify-center ${upright ? "h-2" : "w-2"}`}
        onDoubleClick={fold}
        onKeyDown={keys}
      >
        <span
          className={`rounded-full bg-rule group-hover:bg-harbour group-focus-visible:bg-harbour ${upright ? "h-0.5 w-10" : "h-10 w-0.5"}`}
        />
      </PanelResizeHandle>
      <Panel
        ref={folding}
        order={2}
        defaultSize={size}
        minSize={least}
        maxSize={most}
        collapsible
        className="flex min-h-0 min-w-0 flex-col"
      >
        {second}
      </Panel>
    </PanelGroup>
  );
}
