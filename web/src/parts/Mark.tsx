import type { ReactNode } from "react";

export type Kind = "fine" | "look" | "stop" | "none" | "busy";

const looks: Record<Kind, { colour: string; sign: ReactNode }> = {
  fine: { colour: "text-success", sign: <path d="M3 8.5 6.5 12 13 4.5" /> },
  look: { colour: "text-warning", sign: <path d="M2.5 10c2-4.500 9-4.500 11 0M8 9.200v.1" /> },
  stop: { colour: "text-error", sign: <path d="M4 4l8 8M12 4l-8 8" /> },
  busy: { colour: "text-secondary", sign: <path d="M2.500 11a5.500 5.500 0 0 1 11 0M2 13.500h12" /> },
  none: { colour: "text-base-content/80", sign: <path d="M4 8h8" /> },
};

/** A sign with a word: never colour alone. */
export function Mark({ kind, children }: { kind: Kind; children?: ReactNode }) {
  const look = looks[kind];
  return (
    <span className={`inline-flex items-center gap-1 ${look.colour}`}>
      <svg viewBox="0 0 16 16" className="size-3.5 shrink-0" aria-hidden="true">
        <g fill="none" stroke="currentColor" strokeWidth="2" strokeLinecap="round" strokeLinejoin="round">
          {look.sign}
        </g>
      </svg>
      {children}
    </span>
  );
}
