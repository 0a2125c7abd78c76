import { useEffect } from "react";

/** What the window and the reader of the screen call this page. */
export function useTitle(...parts: (string | undefined)[]): void {
  const title = [...parts.filter((p) => p !== undefined && p !== ""), "Owl Dome"].join(" · ");
  useEffect(() => {
    document.title = title;
  }, [title]);
}
