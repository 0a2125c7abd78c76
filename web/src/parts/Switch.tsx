/** Something that is on or off. */
export function Switch({
  label,
  on,
  onChange,
  hint,
}: {
  label: string;
  on: boolean;
  onChange: (on: boolean) => void;
  hint?: string;
}) {
  return (
    <label className="flex cursor-pointer items-start gap-2 text-[13px]" title={hint}>
      <input
        type="checkbox"
        className="checkbox checkbox-xs mt-0.5 rounded-sm"
        checked={on}
        onChange={(e) => onChange(e.target.checked)}
      />
      <span>{label}</span>
    </label>
  );
}
