/** The height of an element, followed; changes of a pixel are left alone. */
import { type RefObject, useEffect, useRef, useState } from "react";

export function useHeight(of: RefObject<HTMLElement | null>) {
  const [height, setHeight] = useState(0);
  const last = useRef(0);
  useEffect(() => {
    const el = of.current;
    if (!el) return;
    const watch = new ResizeObserver(() => {
      if (Math.abs(el.clientHeight - last.current) < 2) return;
      last.current = el.clientHeight;
      setHeight(el.clientHeight);
    });
    watch.observe(el);
    return () => watch.disconnect();
  }, [of]);
  return height;
}
