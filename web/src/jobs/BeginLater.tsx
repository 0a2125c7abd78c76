import { useState } from "react";

interface Props {
  /** When it may begin, Unix seconds; null is at once. */
  notBefore: number | null;
  /** What the button says. */
  words?: string;
  onChange: (notBefore: number) => void;
}

const two = (n: number) => String(n).padStart(2, "0");

/** A time as the field for times writes it, in the clock of this place. */
const local = (t: Date) =>
  `${t.getFullYear()}-${two(t.getMonth() + 1)}-${two(t.getDate())}T${two(t.getHours())}:${two(t.getMinutes())}`;

const told = (seconds: number) =>
  new Date(seconds * 1000).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" });

/** Lets a waiting job begin later, for example at night. */
export function BeginLater({ notBefore, words = "Later", onChange }: Props) {
  const [asked, setAsked] = useState<string | null>(null);
  if (asked !== null) {
    return (
      <span className="inline-flex items-center gap-1 text-xs">
        <input
          type="datetime-local"
          className="input input-xs w-44 bg-base-100"
          aria-label="Begin after"
          value={asked}
          onChange={(e) => setAsked(e.target.value)}
        />
        <button
          type="button"
          className="btn btn-xs font-normal"
          onClick={() => {
            const time = new Date(asked).getTime();
            if (Number.isFinite(time)) onChange(Math.round(time / 1000));
            setAsked(null);
          }}
        >
          Set
        </button>
        <button type="button" className="btn btn-ghost btn-xs font-normal" onClick={() => setAsked(null)}>
          Cancel
        </button>
      </span>
    );
  }
  // The server decides whether the time has come; what is over is not shown.
  if (notBefore !== null) {
    return (
      <span className="inline-flex items-center gap-1 text-xs text-base-content/80">
        begins after {told(notBefore)}
        <button type="button" className="btn btn-ghost btn-xs font-normal" onClick={() => onChange(0)}>
          Begin now
        </button>
      </span>
    );
  }
  return (
    <button
      type="button"
      className="btn btn-ghost btn-xs font-normal"
      title="It waits for a time, for example the night"
      onClick={() => setAsked(local(new Date(Date.now() + 3_600_000)))}
    >
      {words}
    </button>
  );
}
