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
    <header className="flex h-14 shrink-0 items-center gap-2 border-b border-base-300 bg-base-100 px-3 xl:gap-4 xl:px-5">
      <Link href="/" className="flex items-center gap-2.5" aria-label="Owl Dome, library">
        <img src="/mark.svg" alt="" className="size-7" />
        <span className={`font-display text-xl ${title ? "hidden min-[1500px]:inline" : ""}`}>Owl Dome</span>
      </Link>
      {title && (
        <span
          className="hidden min-w-24 max-w-64 shrink truncate border-l border-base-300 pl-3 text-base-content/80 min-[1200px]:inline"
          title={title}
        >
          {title}
        </span>
      )}
      <div className="flex min-w-0 flex-1 justify-center">{children}</div>
      {aside}
      <button
        type="button"
        className="btn btn-ghost btn-sm px-1.5 font-normal whitespace-nowrap"
        title="Shows lengths in the other units"
        onClick={() => setUnits(units === "metric" ? "imperial" : "metric")}
      >
        {units === "metric" ? "Use feet" : "Use metres"}
      </button>
      <button type="button" className="btn btn-ghost btn-sm px-2 font-normal" onClick={toggle}>
        {dusk ? "Daylight" : "Dusk"}
      </button>
    </header>
  );
}
