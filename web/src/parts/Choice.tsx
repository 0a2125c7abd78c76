interface Props<T extends string> {
  label: string;
  value: T;
  options: readonly (readonly [T, string])[];
  onChange: (value: T) => void;
  className?: string;
}

/** One of a few things. */
export function Choice<T extends string>({ label, value, options, onChange, className = "" }: Props<T>) {
  return (
    <label className={`flex flex-col gap-0.5 ${className}`}>
      <span className="text-xs text-base-content/75">{label}</span>
      <select
        className="select select-sm w-full bg-base-100"
        value={value}
        onChange={(e) => {
          const chosen = options.find(([v]) => v === e.target.value);
          if (chosen) onChange(chosen[0]);
        }}
      >
        {options.map(([v, name]) => (
          <option key={v} value={v}>
            {name}
          </option>
        ))}
      </select>
    </label>
  );
}
