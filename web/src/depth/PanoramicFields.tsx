import type { DepthInfo } from "../generated/DepthInfo";
import type { Rig } from "../generated/Rig";
import { Choice } from "../parts/Choice";
import { LengthField } from "../parts/LengthField";
import { NumberField } from "../parts/NumberField";
import { Switch } from "../parts/Switch";
import { length } from "../parts/units";
import { SeparationFields } from "./SeparationFields";

/** A pair that turns with the direction of view. */
export function PanoramicFields({
  rig,
  depth,
  onChange,
}: {
  rig: Rig;
  depth: DepthInfo | null;
  onChange: (part: Partial<Rig>) => void;
}) {
  const close = rig.close_deg;
  return (
    <>
      <div className="grid grid-cols-2 gap-x-3 gap-y-1.5">
        <SeparationFields rig={rig} depth={depth} onChange={onChange} />
        <Choice
          label="Zero parallax"
          value={rig.converge_m === null ? "parallel" : "at"}
          options={[
            ["parallel", "Nowhere (parallel)"],
            ["at", "At a distance"],
          ]}
          onChange={(how) => onChange({ converge_m: how === "parallel" ? null : 3 })}
        />
        {rig.converge_m !== null && (
          <LengthField
            label="Distance"
            value={rig.converge_m}
            min={0.01}
            max={100000}
            onChange={(converge_m) => onChange({ converge_m })}
          />
        )}
      </div>
      <Switch
        label="Close the pair towards zenith and nadir"
        on={close !== null}
        onChange={(on) => onChange({ close_deg: on ? [60, 80] : null })}
      />
      {close && (
        <div className="grid grid-cols-2 gap-x-3">
          <NumberField
            label="Begins to close at"
            unit="°"
            digits={1}
            min={0}
            max={89}
            value={close[0]}
            onChange={(from) => onChange({ close_deg: [from, Math.max(close[1], from + 1)] })}
          />
          <NumberField
            label="Closed from"
            unit="°"
            digits={1}
            min={0.5}
            max={90}
            value={close[1]}
            onChange={(to) => onChange({ close_deg: [Math.min(close[0], to - 1), to] })}
          />
        </div>
      )}
      <Switch
        label="The lens is sharp where zero parallax is"
        on={rig.focus_follows}
        onChange={(focus_follows) => onChange({ focus_follows })}
      />
      {depth && (
        <dl className="grid grid-cols-2 gap-x-3 gap-y-1 text-[13px]">
          <dt className="text-base-content/75">Comfortable from</dt>
          <dd>{length(depth.planes_m.nearest)} on</dd>
          <dt className="text-base-content/75">The nearest</dt>
          <dd data-testid="nearest">
            {depth.very_nearest_m === null ? "nothing" : length(depth.very_nearest_m)}
            {depth.nearest_degrees !== null && `, ${depth.nearest_degrees.toFixed(2)}°`}
          </dd>
        </dl>
      )}
      <p className="text-xs text-base-content/80">
        Six plain cube faces per eye are not offered: each would be a pair of its own that does not fit its
        neighbours. A cube in one picture is made ray by ray and fits.
      </p>
    </>
  );
}
