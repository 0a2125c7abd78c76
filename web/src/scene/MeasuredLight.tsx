import { useMutation } from "@tanstack/react-query";
import { useRef } from "react";
import { uploadDistribution } from "../api/client";
import type { LightDistribution } from "../generated/LightDistribution";
import { NumberField } from "../parts/NumberField";
import { Problem } from "../parts/Problem";
import { degrees, light, wrapHeading } from "../parts/units";

/** Lets the chosen lights shine as a laboratory measured them. */
export function MeasuredLight({
  project,
  count,
  set,
  onChange,
}: {
  project: number;
  /** How many lights are meant. */
  count: number;
  /** What the first of them has. */
  set: LightDistribution | undefined;
  onChange: (set: LightDistribution | undefined) => void;
}) {
  const input = useRef<HTMLInputElement>(null);
  const bring = useMutation({
    mutationFn: (file: File) => uploadDistribution(project, file),
    onSuccess: ({ file, name }) =>
      onChange({ heading_deg: set?.heading_deg ?? 0, tilt_deg: set?.tilt_deg ?? 0, file, name }),
  });
  const found = bring.data?.file === set?.file ? bring.data : undefined;
  return (
    <div className="flex flex-col gap-1.5" data-testid="measured-light">
      <div className="flex flex-wrap items-end gap-1.5">
        <button
          type="button"
          className="btn btn-sm px-2.5 font-normal"
          title="Candela by direction, as its maker had it measured (LM-63). Planes count against the clock as seen from above, as we remember CIE 121: look at an uneven lamp before you trust its sides."
          disabled={bring.isPending}
          onClick={() => input.current?.click()}
        >
          {set ? "Other .ies file" : "Shine by an .ies file"}
        </button>
        <input
          ref={input}
          type="file"
          accept=".ies,.IES"
          className="hidden"
          aria-label="Measured light, an .ies file"
          data-testid="ies-file"
          onChange={(e) => {
            const file = e.target.files?.[0];
            if (file) bring.mutate(file);
            e.target.value = "";
          }}
        />
        {set && (
          <>
            <div className="w-24">
              <NumberField
                label="Its 0° points to"
                unit="°"
                value={set.heading_deg}
                digits={0}
                step={15}
                onChange={(v) => onChange({ ...set, heading_deg: wrapHeading(v) })}
              />
            </div>
            <div className="w-24">
              <NumberField
                label="Tilted by"
                unit="°"
                value={set.tilt_deg}
                digits={0}
                step={5}
                min={-180}
                max={180}
                onChange={(tilt_deg) => onChange({ ...set, tilt_deg })}
              />
            </div>
            <button
              type="button"
              className="btn btn-ghost btn-sm px-2 font-normal"
              onClick={() => onChange(undefined)}
            >
              As in the scene
            </button>
          </>
        )}
      </div>
      {set && (
        <p className="text-xs text-base-content/75" data-testid="measured-told">
          {count > 1 ? `All ${count} shine` : "Shines"} as {set.name} was measured
          {found && `: ${light(found.lumen)} lm, at most ${light(found.candela)} cd`}
          {found?.told && ` (${found.told})`}
          {set.tilt_deg === 0
            ? ", hanging straight down."
            : `, tilted ${degrees(set.tilt_deg, 0)} to ${degrees(set.heading_deg, 0)}.`}
        </p>
      )}
      <Problem error={bring.error} />
    </div>
  );
}
