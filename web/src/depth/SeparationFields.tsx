import type { DepthInfo } from "../generated/DepthInfo";
import type { Rig } from "../generated/Rig";
import type { RigAnchor } from "../generated/RigAnchor";
import { Choice } from "../parts/Choice";
import { NumberField } from "../parts/NumberField";

/** How far the eyes are apart, and what stands on the viewpoint: fields of a grid of two. */
export function SeparationFields({
  rig,
  depth,
  onChange,
}: {
  rig: Rig;
  depth: DepthInfo | null;
  onChange: (part: Partial<Rig>) => void;
}) {
  return (
    <>
      <NumberField
        label="Eye separation"
        unit="mm"
        digits={1}
        step={1}
        min={0.001}
        max={10000000}
        value={rig.separation_m * 1000}
        onChange={(mm) => onChange({ separation_m: Number((mm / 1000).toPrecision(9)) })}
      />
      <NumberField
        label="Times, for giants and mice"
        unit="×"
        digits={2}
        step={0.5}
        min={0.001}
        max={100000}
        value={rig.scale}
        onChange={(scale) => onChange({ scale })}
      />
      <p className="col-span-2 text-xs text-base-content/80" data-testid="viewer">
        {depth ? `${(depth.separation_m * 1000).toFixed(1)} mm apart: seen as by ${depth.viewer}.` : " "}
      </p>
      <Choice<RigAnchor>
        label="On the viewpoint stands"
        value={rig.anchor}
        options={[
          ["left", "the left eye"],
          ["middle", "the middle"],
          ["right", "the right eye"],
        ]}
        onChange={(anchor) => onChange({ anchor })}
      />
    </>
  );
}
