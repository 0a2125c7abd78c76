import type { ReactNode } from "react";
import { Mark } from "./Mark";

/** Says that something takes its time. */
export function Busy({ children }: { children: ReactNode }) {
  return (
    <p className="text-xs" role="status">
      <Mark kind="busy">{children}</Mark>
    </p>
  );
}
