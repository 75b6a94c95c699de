/** A slip beside a button that sets a few things. Lists that open out of it belong to it; Esc or a press elsewhere puts
 * it away, and the focus goes back to its button. */
import { type ReactNode, useEffect, useLayoutEffect, useRef, useState } from "react";
import { createPortal } from "react-dom";

type Props = {
  label: string;
  /** The button it stands beside. */
  beside: HTMLElement;
  side: "right" | "above";
  onClose: () => void;
  children: ReactNode;
};

/** Least distance from the edges of the window, px. */
const EDGE = 8;

export function Slip({ label, beside, side, onClose, children }: Props) {
  const panel = useRef<HTMLDivElement>(null);
  const [place, setPlace] = useState<{ left: number; top: number }>();
  const close = useRef(onClose);
  close.current = onClose;
  useLayoutEffect(() => {
    const el = panel.current;
    if (!el) return;
    const [b, own] = [beside.getBoundingClientRect(), el.getBoundingClientRect()];
    const left = side === "right" ? b.right + EDGE : b.right - own.width;
    const top = side === "right" ? (b.top + b.bottom - own.height) / 2 : b.top - own.height - EDGE;
    const within = (x: number, size: number, room: number) => Math.max(EDGE, Math.min(x, room - size - EDGE));
    setPlace({ left: within(left, own.width, innerWidth), top: within(top, own.height, innerHeight) });
    el.querySelector<HTMLElement>("button, input")?.focus();
  }, [beside, side]);
  useEffect(() => {
    const pressed = (e: PointerEvent) => {
      const at = e.target as Element;
      const own = panel.current?.contains(at) || beside.contains(at);
      if (!own && !at.closest("[role=listbox], [role=alert]")) close.current();
    };
    document.addEventListener("pointerdown", pressed, true);
    return () => document.removeEventListener("pointerdown", pressed, true);
  }, [beside]);
  return createPortal(
    <div
      ref={panel}
      role="dialog"
      aria-label={label}
      className="panel fixed z-20 px-3 py-2 text-[14px] leading-7 shadow-lg"
      style={place ?? { left: 0, top: 0, visibility: "hidden" }}
      onKeyDown={(e) => {
        if (e.key !== "Escape" || e.defaultPrevented) return;
        e.preventDefault();
        e.stopPropagation();
        close.current();
        beside.focus();
      }}
    >
      {children}
    </div>,
    document.body,
  );
}
