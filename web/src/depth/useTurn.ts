import { useEffect, useState } from "react";

/** How long each eye is shown when they take turns, milliseconds. */
const TURN = 450;

/** Whether motion is to be reduced. */
export const calm = () => window.matchMedia("(prefers-reduced-motion: reduce)").matches;

/** Which eye has its turn, where both are shown one after the other. */
export function useTurn(on: boolean): "left" | "right" {
  const [right, setRight] = useState(false);
  useEffect(() => {
    if (!on) return;
    const timer = setInterval(() => setRight((r) => !r), TURN);
    return () => clearInterval(timer);
  }, [on]);
  return on && right ? "right" : "left";
}
