import { useState } from "react";
import { api } from "../api/client";
import type { DepthInfo } from "../generated/DepthInfo";
import type { FlatRig } from "../generated/FlatRig";
import type { Pose } from "../generated/Pose";
import type { Project } from "../generated/Project";
import type { Rig } from "../generated/Rig";
import type { RigMethod } from "../generated/RigMethod";
import type { RigSide } from "../generated/RigSide";
import { Choice } from "../parts/Choice";
import { LengthField } from "../parts/LengthField";
import { Mark } from "../parts/Mark";
import { NumberField } from "../parts/NumberField";
import { SelectField } from "../parts/SelectField";
import { Switch } from "../parts/Switch";
import { length } from "../parts/units";
import { BudgetFields } from "./BudgetFields";
import { CameraChoice } from "./CameraChoice";
import { SeparationFields } from "./SeparationFields";

const RATIOS: [number, string][] = [
  [16 / 9, "16:9"],
  [1.85, "1.85:1"],
  [2.39, "2.39:1"],
  [4 / 3, "4:3"],
  [1, "1:1"],
];

/** Two framed cameras, their budget of parallax, and what it is on the screen. */
export function FlatFields({
  rig,
  depth,
  project,
  pose,
  onChange,
  onPlace,
  onProblem,
}: {
  rig: Rig;
  depth: DepthInfo | null;
  project: Project;
  pose: Pose;
  onChange: (part: Partial<Rig>) => void;
  /** A camera of the scene is taken: the viewpoint goes where it stands. */
  onPlace: (pose: Pose, rig: Rig) => void;
  onProblem: (problem: unknown) => void;
}) {
  const flat = rig.flat;
  const set = (part: Partial<FlatRig>) => onChange({ flat: { ...flat, ...part } });
  /** The field of view that a focal length has. */
  const setFocal = (focal_mm: number) =>
    void api
      .depth(project.id, { pose, rig, focal_mm })
      .then(({ hfov_of_focal_deg }) => {
        if (hfov_of_focal_deg !== null) set({ hfov_deg: hfov_of_focal_deg });
      })
      .catch(onProblem);
  const [own, setOwn] = useState(flat.unlinked !== null);
  const fit = depth?.fit;
  return (
    <>
      <div className="grid grid-cols-2 gap-x-3 gap-y-1.5">
        <SeparationFields rig={rig} depth={depth} onChange={onChange} />
        <LengthField
          label="Zero parallax at"
          value={flat.converge_m}
          min={0.01}
          max={100000}
          onChange={(converge_m) => set({ converge_m })}
        />
      </div>
      <button
        type="button"
        className="btn btn-sm w-full"
        disabled={!fit}
        onClick={() =>
          fit &&
          onChange({
            separation_m: Number((fit.separation_m / rig.scale).toPrecision(6)),
            flat: { ...flat, converge_m: Number(fit.convergence_m.toPrecision(6)) },
          })
        }
      >
        Fit to what the frame sees
      </button>
      {fit && (
        <p className="text-xs text-base-content/80" data-testid="fit">
          That is {(fit.separation_m * 1000).toFixed(1)} mm with zero parallax at {length(fit.convergence_m)}.
        </p>
      )}
      {depth?.parallax_px && depth.budget_px && (
        <dl className="grid grid-cols-2 gap-x-3 gap-y-0.5 text-[13px]">
          <dt className="text-base-content/75">Nearest seen</dt>
          <dd data-testid="near-px">
            {depth.nearest_m === null ? "nothing" : length(depth.nearest_m)}
            {depth.parallax_px.near !== null && `, ${depth.parallax_px.near.toFixed(1)} px`}
          </dd>
          <dt className="text-base-content/75">Farthest seen</dt>
          <dd data-testid="far-px">
            {depth.farthest_m === null ? "open distance" : length(depth.farthest_m)},{" "}
            {depth.parallax_px.far.toFixed(1)} px
          </dd>
          <dt className="text-base-content/75">This shot may use</dt>
          <dd>
            {depth.budget_px.front.toFixed(1)} px in front, {depth.budget_px.back.toFixed(1)} px behind
          </dd>
          <dt className="text-base-content/75">Allowed</dt>
          <dd>
            {length(depth.planes_m.nearest)} to{" "}
            {depth.planes_m.farthest === null ? "infinity" : length(depth.planes_m.farthest)}
          </dd>
        </dl>
      )}
      <BudgetFields budget={flat.budget} depth={depth} onChange={(budget) => set({ budget })} />
      <details className="text-[13px]">
        <summary className="cursor-pointer">Frame and cameras</summary>
        <div className="mt-1 grid grid-cols-2 gap-x-3 gap-y-1.5">
          <CameraChoice
            project={project}
            onTake={({ pose, frame }) =>
              frame &&
              onPlace(pose, {
                ...rig,
                flat: {
                  ...flat,
                  hfov_deg: frame.hfov_deg,
                  ratio: frame.ratio,
                  pitch_deg: frame.pitch_deg,
                },
              })
            }
          />
          <NumberField
            label="Field of view"
            unit="°"
            digits={2}
            min={1}
            max={170}
            value={flat.hfov_deg}
            onChange={(hfov_deg) => set({ hfov_deg })}
          />
          <NumberField
            label="Focal length"
            unit="mm"
            digits={2}
            min={0.05}
            max={100000}
            value={depth?.focal_mm ?? 0}
            disabled={depth === null}
            onChange={setFocal}
          />
          <NumberField
            label="Sensor width"
            unit="mm"
            digits={2}
            min={1}
            max={1000}
            value={flat.sensor_mm}
            onChange={(sensor_mm) => set({ sensor_mm })}
          />
          <SelectField
            label="Ratio"
            none={`${flat.ratio.toFixed(2)}:1`}
            value={flat.ratio}
            options={RATIOS}
            onChange={(ratio) => set({ ratio })}
          />
          <NumberField
            label="Looks up by"
            unit="°"
            digits={1}
            min={-90}
            max={90}
            value={flat.pitch_deg}
            onChange={(pitch_deg) => set({ pitch_deg })}
          />
          <Choice<RigMethod>
            label="Brought together by"
            value={flat.method}
            options={[
              ["off-axis", "shifted frames (off-axis)"],
              ["parallel", "a later crop (parallel)"],
              ["converged", "turned cameras (converged)"],
            ]}
            onChange={(method) => set({ method })}
          />
        </div>
        {depth?.recording && (
          <p className="mt-1 text-xs" data-testid="recording">
            Recorded {depth.recording.width} px wide with {depth.recording.hfov_deg.toFixed(3)}°, cropped by{" "}
            {depth.recording.crop} px on the outer side of each eye.
          </p>
        )}
        {flat.method === "converged" && depth && (
          <p className="mt-1 text-xs">
            <Mark kind={depth.vertical_px > 2 ? "look" : "fine"}>
              <span>Corners lie up to {depth.vertical_px.toFixed(1)} px above each other.</span>
            </Mark>
          </p>
        )}
        {rig.anchor !== "middle" && flat.method !== "parallel" && (
          <Switch
            label="The eye on the viewpoint stays as it is"
            hint="The other eye takes the whole shift, so that a change of separation needs one new render only."
            on={flat.keep_anchor}
            onChange={(keep_anchor) => set({ keep_anchor })}
          />
        )}
        <Switch
          label="The lens is sharp where zero parallax is"
          on={rig.focus_follows}
          onChange={(focus_follows) => onChange({ focus_follows })}
        />
        <Switch
          label="One eye has values of its own"
          on={own}
          onChange={(on) => {
            setOwn(on);
            set({
              unlinked: on
                ? { side: "right", hfov_deg: null, heading_deg: 0, pitch_deg: 0, roll_deg: 0 }
                : null,
            });
          }}
        />
        {flat.unlinked && (
          <div className="mt-1 grid grid-cols-2 gap-x-3 gap-y-1.5">
            <Choice<RigSide>
              label="Which eye"
              value={flat.unlinked.side}
              options={[
                ["left", "left"],
                ["right", "right"],
              ]}
              onChange={(side) => flat.unlinked && set({ unlinked: { ...flat.unlinked, side } })}
            />
            <NumberField
              label="Its field of view"
              unit="°"
              digits={3}
              min={1}
              max={170}
              value={flat.unlinked.hfov_deg ?? flat.hfov_deg}
              onChange={(hfov_deg) => flat.unlinked && set({ unlinked: { ...flat.unlinked, hfov_deg } })}
            />
            {(["heading_deg", "pitch_deg", "roll_deg"] as const).map((turn) => (
              <NumberField
                key={turn}
                label={{ heading_deg: "Turned by", pitch_deg: "Raised by", roll_deg: "Rolled by" }[turn]}
                unit="°"
                digits={3}
                step={0.05}
                min={-20}
                max={20}
                value={flat.unlinked?.[turn] ?? 0}
                onChange={(to) => flat.unlinked && set({ unlinked: { ...flat.unlinked, [turn]: to } })}
              />
            ))}
          </div>
        )}
      </details>
    </>
  );
}
