import { NumberField } from "../parts/NumberField";
import { Switch } from "../parts/Switch";
import type { More } from "./quality";

/** What an order may have besides. */
export function MoreFields({ value, onChange }: { value: More; onChange: (to: More) => void }) {
  const set = (part: Partial<More>) => onChange({ ...value, ...part });
  const { clay, calm, lens } = value;
  const told = [clay && "clay", lens && "lens", calm && "fireflies limited"].filter(Boolean);
  return (
    <details className="mt-1 text-[13px]">
      <summary className="cursor-pointer">
        More <span className="text-base-content/75">{told.join(", ")}</span>
      </summary>
      <div className="mt-1 grid grid-cols-2 gap-x-3 gap-y-1">
        <Switch label="Clay" on={clay} onChange={(clay) => set({ clay })} />
        <Switch
          label="Limit fireflies"
          hint="No sample adds more light than 10; the picture becomes a little darker than it truly is."
          on={calm}
          onChange={(calm) => set({ calm })}
        />
        <Switch label="Lens blur" on={lens} onChange={(lens) => set({ lens })} />
        {lens && (
          <>
            <NumberField
              label="f-number (50 mm)"
              unit="f/"
              value={value.fstop}
              digits={1}
              step={0.1}
              min={0.5}
              max={128}
              onChange={(fstop) => set({ fstop })}
            />
            <NumberField
              label="Sharp at"
              unit="m"
              value={value.focus}
              digits={2}
              step={0.1}
              min={0.01}
              max={100000}
              onChange={(focus) => set({ focus })}
            />
          </>
        )}
      </div>
    </details>
  );
}
