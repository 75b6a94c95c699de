/** Panels of a bench on a grid: moved by their heads, sized at their corners, in the room there is. */
import { type ReactNode, useEffect, useRef } from "react";
import { GridLayout, noCompactor, useContainerWidth } from "react-grid-layout";
import { offerUndo } from "./undo";
import { useHeight } from "./useHeight";

export const COLUMNS = 12;
const GAP = 8;
/** Fewest columns and rows of a panel. */
const LEAST = { w: 2, h: 3 };
const MOST_ROWS = 60;

export type Place = { x: number; y: number; w: number; h: number };

type Props<P extends Place> = {
  panels: P[];
  /** Rows that fill the screen; a bench may be longer. */
  rows: number;
  onPanels: (panels: P[]) => void;
  panel: (p: P, i: number) => ReactNode;
  /** What stands over the panels. */
  children?: ReactNode;
};

/** A panel at a place and of a size the bench has. */
export function placed<P extends Place>(p: P): P {
  const w = Math.min(Math.max(p.w, LEAST.w), COLUMNS);
  return {
    ...p,
    w,
    h: Math.min(Math.max(p.h, LEAST.h), MOST_ROWS),
    x: Math.min(Math.max(p.x, 0), COLUMNS - w),
    y: Math.max(p.y, 0),
  };
}

/** Closes a panel, and offers to undo that. */
export function closePanel<P extends Place>(says: string, panels: P[], i: number, onPanels: (panels: P[]) => void) {
  const close = () => onPanels(panels.filter((_, k) => k !== i));
  close();
  offerUndo(`Panel ${says} closed`, () => onPanels(panels), close);
}

/** Below everything that stands on a bench. */
export const below = (panels: Place[]) => Math.max(0, ...panels.map((p) => p.y + p.h));

export function BenchGrid<P extends Place>({ panels, rows, onPanels, panel, children }: Props<P>) {
  const { width, containerRef, mounted } = useContainerWidth();
  const height = useHeight(containerRef);
  // What was added is brought into view.
  const count = useRef(panels.length);
  useEffect(() => {
    if (panels.length > count.current) containerRef.current?.scrollTo({ top: 1e6 });
    count.current = panels.length;
  }, [panels.length, containerRef]);
  const rowHeight = Math.max((height - (rows - 1) * GAP) / rows, 16);
  const moved = (layout: readonly (Place & { i: string })[]) =>
    onPanels(
      panels.map((p, i) => {
        const to = layout.find((l) => l.i === String(i));
        return to ? { ...p, x: to.x, y: to.y, w: to.w, h: to.h } : p;
      }),
    );
  return (
    <div ref={containerRef} className="relative min-h-0 flex-1 overflow-x-hidden overflow-y-auto" data-bench>
      {children}
      {mounted && height > 0 && (
        <GridLayout
          width={width}
          layout={panels.map(({ x, y, w, h }, i) => ({ i: String(i), x, y, w, h, minW: LEAST.w, minH: LEAST.h }))}
          gridConfig={{ cols: COLUMNS, rowHeight, margin: [GAP, GAP], containerPadding: [0, 0] }}
          dragConfig={{ handle: ".pane-head", cancel: ".pane-word" }}
          compactor={noCompactor}
          onDragStop={moved}
          onResizeStop={moved}
        >
          {panels.map((p, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a panel is its place in the list
            <div key={i}>{panel(p, i)}</div>
          ))}
        </GridLayout>
      )}
    </div>
  );
}
