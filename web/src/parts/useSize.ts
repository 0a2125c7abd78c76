import { useLayoutEffect, useState, type RefObject } from "react";

/** How large an element is on the page, pixels. */
export function useSize(element: RefObject<HTMLElement | null>): { w: number; h: number } {
  const [size, setSize] = useState({ w: 0, h: 0 });
  useLayoutEffect(() => {
    const box = element.current;
    if (!box) return;
    const watcher = new ResizeObserver(() => setSize({ w: box.clientWidth, h: box.clientHeight }));
    watcher.observe(box);
    return () => watcher.disconnect();
  }, [element]);
  return size;
}
