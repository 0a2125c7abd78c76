import { useId, useState } from "react";
import { stepped, typedNumber } from "./numbers";

interface Props {
  label: string;
  value: number;
  unit: string;
  /** What the arrows add and take; any other number within the limits may be typed. */
  step?: number;
  digits?: number;
  min?: number;
  max?: number;
  disabled?: boolean;
  /** The label is for screen readers only. */
  bare?: boolean;
  onChange: (value: number) => void;
}

/**
 * A number with its unit. It is taken over when the field is left or Enter is pressed; what cannot be taken stays
 * as it was typed, with a sentence beside it.
 */
export function NumberField({
  label,
  value,
  unit,
  step = 1,
  digits = 0,
  min,
  max,
  disabled,
  bare = false,
  onChange,
}: Props) {
  const [draft, setDraft] = useState<string | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  // What was typed and refused is meant for the value of then: one that is set elsewhere takes its place.
  const [of, setOf] = useState(value);
  if (of !== value) {
    setOf(value);
    // What is being typed and could be taken stays.
    if (problem !== null) {
      setDraft(null);
      setProblem(null);
    }
  }
  const told = useId();
  const limits = { min, max, unit };
  const take = (next: number) => {
    setDraft(null);
    setProblem(null);
    if (next !== value) onChange(next);
  };
  const commit = (text: string) => {
    const typed = typedNumber(text, limits);
    if (typeof typed === "number") take(typed);
    else setProblem(typed);
  };
  const move = (by: number) => {
    const typed = draft === null ? value : typedNumber(draft, limits);
    take(stepped(typeof typed === "number" ? typed : value, by, limits));
  };
  return (
    <label className="flex flex-col gap-0.5">
      <span className={bare ? "sr-only" : "text-xs text-base-content/75"}>{label}</span>
      <span
        className={`input ${bare ? "input-xs" : "input-sm"} group flex w-full items-center gap-1 bg-base-100 pr-1.5 ${problem ? "border-error" : ""}`}
      >
        <input
          type="text"
          inputMode="decimal"
          role="spinbutton"
          autoComplete="off"
          className="w-full min-w-0"
          value={draft ?? value.toFixed(digits)}
          aria-valuenow={value}
          aria-valuemin={min}
          aria-valuemax={max}
          aria-valuetext={`${value.toFixed(digits)} ${unit}`}
          aria-invalid={problem !== null}
          aria-describedby={problem ? told : undefined}
          disabled={disabled}
          onChange={(e) => {
            setDraft(e.target.value);
            if (problem !== null && typeof typedNumber(e.target.value, limits) === "number") setProblem(null);
          }}
          onBlur={(e) => draft !== null && commit(e.target.value)}
          onKeyDown={(e) => {
            if (e.key === "Enter") {
              // Enter takes the number; it must not send the form around it.
              e.preventDefault();
              commit(e.currentTarget.value);
            } else if (e.key === "ArrowUp" || e.key === "ArrowDown") {
              e.preventDefault();
              e.stopPropagation();
              move((e.key === "ArrowUp" ? step : -step) * (e.shiftKey ? 10 : 1));
            } else if (e.key === "Escape" && draft !== null) {
              e.stopPropagation();
              setDraft(null);
              setProblem(null);
            }
          }}
        />
        <span className="shrink-0 text-xs text-base-content/70">{unit}</span>
        {!disabled && (
          <span
            className="flex shrink-0 flex-col opacity-0 group-focus-within:opacity-100 group-hover:opacity-100"
            aria-hidden="true"
          >
            {[step, -step].map((by) => (
              <button
                key={by}
                type="button"
                tabIndex={-1}
                aria-label={by > 0 ? "More" : "Less"}
                className="px-0.5 leading-none text-base-content/70 hover:text-base-content"
                onMouseDown={(e) => e.preventDefault()}
                onClick={() => move(by)}
              >
                <svg viewBox="0 0 10 6" className={`h-1.5 w-2.5 ${by < 0 ? "rotate-180" : ""}`}>
                  <path d="M1 5 5 1l4 4" fill="none" stroke="currentColor" strokeWidth="1.6" />
                </svg>
              </button>
            ))}
          </span>
        )}
      </span>
      {problem && (
        <span id={told} role="alert" className="text-xs text-error">
          {problem}
        </span>
      )}
    </label>
  );
}
