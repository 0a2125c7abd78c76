import type { ReactNode } from "react";
import { Link } from "wouter";
import { useShell } from "./theme";

/** The bar on top: where one is, the way through the job, and the light of the room. */
export function Header({
  title,
  aside,
  children,
}: {
  title?: string;
  /** Beside the way through the job. */
  aside?: ReactNode;
  children?: ReactNode;
}) {
  const { dusk, toggle, units, setUnits } = useShell();
  return (
    <header className="flex h-14 shrink-0 items-center gap-4 border-b border-base-300 bg-base-100 px-5">
      <Link href="/" className="flex items-center gap-2.5" aria-label="Owl Dome, library">
        <img src="/mark.svg" alt="" className="size-7" />
        <span className="font-display text-xl">Owl Dome</span>
      </Link>
      {title && (
        <span className="max-w-56 truncate border-l border-base-300 pl-4 text-base-content/80" title={title}>
          {title}
        </span>
      )}
      <div className="flex flex-1 justify-center">{children}</div>
      {aside}
      <button
        type="button"
        className="btn btn-ghost btn-sm px-2 font-normal"
        title="Lengths are shown in these units; click to change"
        onClick={() => setUnits(units === "metric" ? "imperial" : "metric")}
      >
        {units === "metric" ? "Metres" : "Feet"}
      </button>
      <button type="button" className="btn btn-ghost btn-sm px-2 font-normal" onClick={toggle}>
        {dusk ? "Daylight" : "Dusk"}
      </button>
    </header>
  );
}
