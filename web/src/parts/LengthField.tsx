import { NumberField } from "./NumberField";
import { FOOT, unitSystem } from "./units";

interface Props {
  label: string;
  /** Metres. */
  value: number;
  step?: number;
  min?: number;
  max?: number;
  disabled?: boolean;
  /** The label is for screen readers only. */
  bare?: boolean;
  onChange: (metres: number) => void;
}

/** A length, kept in metres, typed in metres or feet. */
export function LengthField({ value, step = 0.1, min, max, onChange, ...rest }: Props) {
  const one = unitSystem() === "imperial" ? FOOT : 1;
  return (
    <NumberField
      {...rest}
      unit={one === 1 ? "m" : "ft"}
      digits={2}
      step={step}
      value={value / one}
      {...(min === undefined ? {} : { min: min / one })}
      {...(max === undefined ? {} : { max: max / one })}
      onChange={(v) => onChange(v * one)}
    />
  );
}
