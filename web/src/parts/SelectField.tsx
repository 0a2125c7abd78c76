/** One of several, with its name above it. */
export function SelectField<T extends string | number>({
  label,
  value,
  options,
  none,
  className = "",
  onChange,
}: {
  label: string;
  value: T;
  options: readonly (readonly [T, string])[];
  /** What stands there while the value is none of the options. */
  none?: string;
  className?: string;
  onChange: (to: T) => void;
}) {
  return (
    <label className={`flex flex-col gap-0.5 ${className}`}>
      <span className="text-xs text-base-content/75">{label}</span>
      <select
        className="select select-sm w-full truncate bg-base-100 pr-7"
        value={options.some(([v]) => v === value) ? value : ""}
        onChange={(e) => {
          const chosen = options.find(([v]) => String(v) === e.target.value);
          if (chosen) onChange(chosen[0]);
        }}
      >
        {none !== undefined && (
          <option value="" disabled>
            {none}
          </option>
        )}
        {options.map(([v, name]) => (
          <option key={v} value={v}>
            {name}
          </option>
        ))}
      </select>
    </label>
  );
}
