import type { DepthInfo } from "../generated/DepthInfo";
import type { OffenderInfo } from "../generated/OffenderInfo";
import type { Rig } from "../generated/Rig";
import { Mark } from "../parts/Mark";
import { NumberField } from "../parts/NumberField";
import { length } from "../parts/units";
import { HOW } from "./overTime";

const EDGES = [
  ["left_top", "Left edge, top"],
  ["left_bottom", "Left edge, bottom"],
  ["right_top", "Right edge, top"],
  ["right_bottom", "Right edge, bottom"],
] as const;

/** What is beyond what is comfortable, and the floating window for what the frame cuts off. */
export function OffenderList({
  depth,
  rig,
  onLook,
  onChange,
}: {
  depth: DepthInfo | null;
  rig: Rig;
  /** One of them is to be shown in the picture. */
  onLook: (offender: OffenderInfo) => void;
  onChange: (part: Partial<Rig>) => void;
}) {
  if (!depth) return null;
  const window = rig.flat.window;
  return (
    <>
      {depth.offenders.length === 0 && depth.violations.length === 0 && (
        <p className="text-sm">
          <Mark kind="fine">
            <span className="text-base-content">Nothing is beyond what is comfortable.</span>
          </Mark>
        </p>
      )}
      {depth.offenders.length > 0 && (
        <table className="table table-xs" data-testid="offenders">
          <thead className="text-base-content/80">
            <tr>
              <th>Object</th>
              <th className="text-right">Distance</th>
              <th className="text-right">{rig.kind === "flat" ? "Parallax" : "Angle"}</th>
              <th className="text-right">Share</th>
            </tr>
          </thead>
          <tbody>
            {depth.offenders.slice(0, 200).map((o) => (
              <tr key={`${o.object}-${o.beyond}-${o.distance_m}`} title={HOW[o.beyond]}>
                <td className="max-w-36">
                  <button
                    type="button"
                    className="w-full cursor-pointer truncate text-left underline-offset-2 hover:underline"
                    onClick={() => onLook(o)}
                  >
                    {o.object}
                  </button>
                </td>
                <td className="text-right whitespace-nowrap">{length(o.distance_m)}</td>
                <td className="text-right whitespace-nowrap">
                  {o.px !== null ? `${o.px.toFixed(1)} px` : `${(o.degrees ?? 0).toFixed(2)}°`}
                </td>
                <td className="text-right whitespace-nowrap">{(o.share * 100).toFixed(1)} %</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {rig.kind === "flat" && (
        <div className="space-y-1.5">
          <h2 className="text-sm">Cut off by the frame, in front of the screen</h2>
          {depth.violations.length === 0 ? (
            <p className="text-xs text-base-content/80">Nothing.</p>
          ) : (
            <ul className="text-xs" data-testid="violations">
              {depth.violations.map((v) => (
                <li key={`${v.object}-${v.edge}`}>
                  {v.object} at {length(v.distance_m)}, {v.edge} edge, {v.px.toFixed(1)} px
                </li>
              ))}
            </ul>
          )}
          <div className="grid grid-cols-2 gap-x-3 gap-y-1.5">
            {EDGES.map(([edge, label]) => (
              <NumberField
                key={edge}
                label={label}
                unit="px"
                digits={1}
                min={0}
                max={rig.flat.budget.final_width / 4}
                value={window[edge]}
                onChange={(px) => onChange({ flat: { ...rig.flat, window: { ...window, [edge]: px } } })}
              />
            ))}
          </div>
          <button
            type="button"
            className="btn btn-sm w-full"
            onClick={() => {
              const [left_top, left_bottom, right_top, right_bottom] = depth.window;
              onChange({
                flat: { ...rig.flat, window: { left_top, left_bottom, right_top, right_bottom } },
              });
            }}
          >
            Take the floating window that is found
          </button>
        </div>
      )}
    </>
  );
}
