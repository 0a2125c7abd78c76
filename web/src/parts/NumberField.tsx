import { useState } from "react";

interface Props {
  label: string;
  value: number;
  unit: string;
  step?: number;
  digits?: number;
  min?: number;
  max?: number;
  disabled?: boolean;
  /** The label is for screen readers only. */
  bare?: boolean;
  onChange: (value: number) => void;
}

/** A number with its unit. It is taken over when the field is left or Enter is pressed. */
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
  const commit = (text: string) => {
    setDraft(null);
    const typed = Number(text);
    if (text.trim() === "" || !Number.isFinite(typed)) return;
    const held = Math.min(max ?? typed, Math.max(min ?? typed, typed));
    if (held !== value) onChange(held);
  };
  return (
    <label className="flex flex-col gap-0.5">
      <span className={bare ? "sr-only" : "text-xs text-base-content/75"}>{label}</span>
      <span
        className={`input ${bare ? "input-xs" : "input-sm"} flex w-full items-center gap-1 bg-base-100 pr-2`}
      >
        <input
          type="number"
          className="w-full min-w-0"
          value={draft ?? value.toFixed(digits)}
          step={step}
          min={min}
          max={max}
          disabled={disabled}
          onChange={(e) => {
            setDraft(e.target.value);
            // The arrows of the field are meant at once; typing waits for its end.
            if (!(e.nativeEvent instanceof InputEvent)) commit(e.target.value);
          }}
          onBlur={(e) => draft !== null && commit(e.target.value)}
          onKeyDown={(e) => {
            if (e.key !== "Enter") return;
            // Enter takes the number; it must not send the form around it.
            e.preventDefault();
            commit(e.currentTarget.value);
          }}
        />
        <span className="shrink-0 text-xs text-base-content/70">{unit}</span>
      </span>
    </label>
  );
}
