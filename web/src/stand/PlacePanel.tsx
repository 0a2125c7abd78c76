import type { Project } from "../generated/Project";
import type { ViewpointDraft } from "../generated/ViewpointDraft";
import { LengthField } from "../parts/LengthField";
import { Mark } from "../parts/Mark";
import { NumberField } from "../parts/NumberField";
import { degrees, length, wrapHeading } from "../parts/units";
import type { View } from "../sphere/geometry";
import type { Stand } from "./useStand";

interface Props {
  project: Project;
  stand: Stand;
  view: View;
}

/** Standing and sitting eye heights in metres (common practice, no source). */
export const EYE_HEIGHTS = [
  ["Standing", 1.6],
  ["Seated", 1.2],
] as const;

const small = "btn btn-xs font-normal";

/** Name, place, heading, level, opening view and ride of the chosen viewpoint. */
export function PlacePanel({ project, stand, view }: Props) {
  const { current, above, floorY, change, viewpoint } = stand;
  const { pose, opening, ride } = current;
  const [x, y, z] = pose.position;
  // Places are shown and typed in the file's coordinates; the scene may lie elsewhere in memory.
  const [eastward, upward, southward] = project.scene.offset_m;
  const level = pose.pitch_deg === 0 && pose.roll_deg === 0;
  const movers = project.scene.movers;
  const heighten = (h: number) => floorY !== null && change({ position: [x, floorY + h, z] }, true);
  if (!viewpoint) return null;
  return (
    <div className="flex flex-col gap-2">
      <div className="grid grid-cols-4 gap-2">
        <label className="col-span-2 flex flex-col gap-0.5">
          <span className="text-xs text-base-content/75">Name</span>
          <input
            key={`${viewpoint.id}-${viewpoint.name}`}
            className="input input-sm w-full bg-base-100"
            defaultValue={viewpoint.name}
            maxLength={80}
            onBlur={(e) =>
              e.target.value.trim() &&
              e.target.value !== viewpoint.name &&
              change({ name: e.target.value }, true)
            }
            onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
          />
        </label>
        <NumberField
          label="Heading"
          unit="°"
          step={1}
          digits={1}
          value={pose.heading_deg}
          onChange={(h) => change({ heading_deg: wrapHeading(h) }, true)}
        />
        <LengthField
          label="Height above floor"
          step={0.05}
          value={above ?? y + upward}
          disabled={above === null}
          onChange={heighten}
        />
        <LengthField
          label="East (x)"
          value={x + eastward}
          onChange={(v) => stand.moveTo(v - eastward, z, true)}
        />
        <LengthField
          label="South (z)"
          value={z + southward}
          onChange={(v) => stand.moveTo(x, v - southward, true)}
        />
        <LengthField
          label="Height (y)"
          value={y + upward}
          onChange={(v) => change({ position: [x, v - upward, z] }, true)}
        />
        <div className="flex flex-wrap items-end gap-1 pb-0.5">
          {EYE_HEIGHTS.map(([name, h]) => (
            <button
              key={name}
              type="button"
              className={`${small} px-1.5`}
              title={`${length(h)} above the floor`}
              disabled={above === null}
              onClick={() => heighten(h)}
            >
              {name}
            </button>
          ))}
        </div>
      </div>
      <p className="text-xs">
        {above === null ? (
          <Mark kind="look">There is no floor below this place; move it over one.</Mark>
        ) : (
          <span className="text-base-content/80">
            Stands on “{stand.clearance?.floor.object}” at {length((floorY ?? 0) + upward)}
          </span>
        )}
      </p>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1 text-[13px]">
        {level ? (
          <Mark kind="fine">Level</Mark>
        ) : (
          <Mark kind="look">
            Not level: pitch {degrees(pose.pitch_deg)}, roll {degrees(pose.roll_deg)}; the horizon will be
            wavy.
          </Mark>
        )}
        <button
          type="button"
          className={small}
          title={current.unlocked ? undefined : "Any pitch or roll makes the whole horizon wavy."}
          onClick={() =>
            change(
              current.unlocked ? { unlocked: false, pitch_deg: 0, roll_deg: 0 } : { unlocked: true },
              true,
            )
          }
        >
          {current.unlocked ? "Level and lock" : "Unlock pitch and roll"}
        </button>
        {current.unlocked && (
          <>
            <div className="w-24">
              <NumberField
                label="Pitch"
                unit="°"
                digits={1}
                min={-90}
                max={90}
                value={pose.pitch_deg}
                onChange={(v) => change({ pitch_deg: v }, true)}
              />
            </div>
            <div className="w-24">
              <NumberField
                label="Roll"
                unit="°"
                digits={1}
                min={-180}
                max={180}
                value={pose.roll_deg}
                onChange={(v) => change({ roll_deg: v }, true)}
              />
            </div>
          </>
        )}
      </div>
      {current.unlocked && level && (
        <p className="text-xs">
          <Mark kind="look">Unlocked: any pitch or roll will bend the whole horizon into a wave.</Mark>
        </p>
      )}
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1 text-[13px]">
        <span data-testid="opening">
          Opens to{" "}
          {opening
            ? `${degrees(opening.heading_deg)} / ${degrees(opening.pitch_deg)}, ${degrees(opening.hfov_deg, 0)} wide`
            : "its heading, straight ahead"}
        </span>
        <button
          type="button"
          className={small}
          title="What people see first; the heading of the middle stays as it is"
          onClick={() => change({ opening: openingOf(view, current) }, true)}
        >
          Open as the Lookout
        </button>
        {opening && (
          <button
            type="button"
            className="btn btn-ghost btn-xs font-normal"
            onClick={() => change({ opening: null }, true)}
          >
            Open straight ahead
          </button>
        )}
      </div>
      {(movers.length > 0 || ride !== null) && (
        <div className="flex flex-wrap items-end gap-2 text-[13px]">
          <label className="flex flex-col gap-0.5">
            <span className="text-xs text-base-content/75">Attached to</span>
            <select
              className="select select-sm w-44 bg-base-100"
              value={ride?.node ?? -1}
              onChange={(e) => {
                const mover = movers.find((m) => m.node === Number(e.target.value));
                change(
                  {
                    ride: mover
                      ? {
                          node: mover.node,
                          name: mover.name,
                          // From where it stands; a camera is the eye itself.
                          offset: mover.camera
                            ? [0, 0, 0]
                            : [x - mover.now[0], y - mover.now[1], z - mover.now[2]],
                        }
                      : null,
                  },
                  true,
                );
              }}
            >
              <option value={-1}>nothing</option>
              {ride !== null && !movers.some((m) => m.node === ride.node) && (
                <option value={ride.node}>{ride.name} (not in this file)</option>
              )}
              {movers.map((m) => (
                <option key={m.node} value={m.node}>
                  {m.name}
                </option>
              ))}
            </select>
          </label>
          {movers.length > 0 && (
            <div className="w-32">
              <NumberField
                label={`Time (of ${project.scene.motion_s.toFixed(1)} s)`}
                unit="s"
                step={0.5}
                digits={2}
                min={0}
                max={project.scene.motion_s}
                value={project.settings.time_s}
                onChange={(time_s) => stand.settings({ time_s })}
              />
            </div>
          )}
          {ride && movers.some((m) => m.node === ride.node) && (
            <span className="pb-1.5 text-xs text-base-content/80" data-testid="ride">
              {length(Math.hypot(...ride.offset))} from it; it does not turn along
            </span>
          )}
        </div>
      )}
    </div>
  );
}

/** The Lookout's direction in the world, as an opening view. */
function openingOf(view: View, current: ViewpointDraft): NonNullable<ViewpointDraft["opening"]> {
  return {
    heading_deg: wrapHeading(current.pose.heading_deg + view.lon),
    pitch_deg: Math.round(view.lat * 10) / 10,
    hfov_deg: Math.round(view.hfov * 10) / 10,
  };
}
