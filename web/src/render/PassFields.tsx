import type { Pass } from "../generated/Pass";
import { NumberField } from "../parts/NumberField";
import { Switch } from "../parts/Switch";
import { PASS_NAMES } from "./passes";

/** What is made beside the picture. */
export function PassFields({
  value,
  onChange,
  occlusion,
  onOcclusion,
}: {
  value: ReadonlySet<Pass>;
  onChange: (to: ReadonlySet<Pass>) => void;
  /** Radius of the ambient occlusion, metres. */
  occlusion: number;
  onOcclusion: (to: number) => void;
}) {
  const toggle = (pass: Pass) => {
    const next = new Set(value);
    if (!next.delete(pass)) next.add(pass);
    onChange(next);
  };
  return (
    <details className="mt-1 text-[13px]">
      <summary className="cursor-pointer">
        Passes <span className="text-base-content/75">{value.size > 0 ? value.size : "none"}</span>
      </summary>
      <div className="mt-1 grid grid-cols-2 gap-x-3 gap-y-0.5">
        {PASS_NAMES.map(([pass, name]) => (
          <Switch key={pass} label={name} on={value.has(pass)} onChange={() => toggle(pass)} />
        ))}
        {value.has("ambient-occlusion") && (
          <NumberField
            label="Occlusion within"
            unit="m"
            value={occlusion}
            digits={2}
            step={0.25}
            min={0.001}
            max={100000}
            onChange={onOcclusion}
          />
        )}
      </div>
    </details>
  );
}
