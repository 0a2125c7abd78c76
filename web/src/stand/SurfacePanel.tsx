import { useState } from "react";
import { api } from "../api/client";
import type { Project } from "../generated/Project";
import type { SeenInfo } from "../generated/SeenInfo";
import type { SquareAnswer } from "../generated/SquareAnswer";
import { LengthField } from "../parts/LengthField";
import { Mark } from "../parts/Mark";
import { NumberField } from "../parts/NumberField";
import { Problem } from "../parts/Problem";
import { Switch } from "../parts/Switch";
import { degrees, length, wrapHeading } from "../parts/units";
import type { Stand } from "./useStand";

/** What was picked, and the direction in which. */
export interface Picked {
  heading: number;
  pitch: number;
  seen: SeenInfo;
}

interface Props {
  project: Project;
  stand: Stand;
  picked: Picked | null;
  /** Where the object is to go, shown on the Horizon while it is chosen. */
  aim: { heading: number; pitch: number } | null;
  /** Starts choosing with the object's present place, or ends it. */
  onAim: (aim: { heading: number; pitch: number } | null) => void;
  onDone: () => void;
}

const small = "btn btn-xs font-normal";

/** The picked thing: be square to it, or move it here. */
export function SurfacePanel({ project, stand, picked, aim, onAim, onDone }: Props) {
  const [told, setTold] = useState<SquareAnswer | null>(null);
  const [problem, setProblem] = useState<unknown>(null);
  const [distance, setDistance] = useState(2);
  const [onFloor, setOnFloor] = useState(true);
  const [face, setFace] = useState(false);
  const [together, setTogether] = useState(false);
  if (!picked) {
    return (
      <p className="text-[13px] text-base-content/80">
        Click a thing on the Horizon, or beside the viewpoint in the plan, to pick it. Then face it, or move
        it to where you want it.
      </p>
    );
  }
  const { seen, heading, pitch } = picked;
  const square = async (whole: boolean, to?: number) => {
    try {
      const answer = await api.square(project.id, {
        pose: stand.current.pose,
        heading_deg: heading,
        pitch_deg: pitch,
        whole,
        ...(to === undefined ? {} : { distance_m: to }),
      });
      setProblem(null);
      setTold(answer);
      stand.change({ position: answer.pose.position, heading_deg: answer.pose.heading_deg }, true);
    } catch (e) {
      setProblem(e);
    }
  };
  const far = seen.middle_distance_m;
  return (
    <div className="flex flex-col gap-2 text-[13px]">
      <p data-testid="picked">
        <span className="font-semibold">“{seen.name}”</span>, {seen.material}, {length(seen.distance_m)} at{" "}
        {degrees(heading)} / {degrees(pitch)}
        {seen.group && <span className="text-base-content/75"> · part of “{seen.group}”</span>}
      </p>
      {aim === null ? (
        <>
          <div className="flex flex-wrap items-end gap-1.5">
            <button type="button" className={small} onClick={() => void square(false)}>
              Face this surface
            </button>
            <button type="button" className={small} onClick={() => void square(true)}>
              Face the object
            </button>
            <div className="flex items-end gap-1.5 border-l border-base-300 pl-2">
              <div className="w-24">
                <LengthField label="Distance" value={distance} min={0.01} onChange={setDistance} />
              </div>
              <button type="button" className={`${small} mb-1`} onClick={() => void square(false, distance)}>
                Move to this distance
              </button>
              <button type="button" className={`${small} mb-1`} onClick={() => void square(true, distance)}>
                Move in front
              </button>
            </div>
          </div>
          {told && (
            <p data-testid="squared">
              <Mark kind="fine">
                <span className="text-base-content">
                  Facing “{told.object}”{told.curved ? " by the best fit of its curved front" : ""}: heading{" "}
                  {degrees(told.pose.heading_deg)}, {length(Math.abs(told.distance_m))} away
                  {Math.abs(told.lean_deg) > 0.05 ? `; it leans ${degrees(Math.abs(told.lean_deg))}` : ""}
                </span>
              </Mark>
            </p>
          )}
          <div>
            <button
              type="button"
              className="btn btn-sm font-normal"
              onClick={() => {
                setDistance(Math.round(far * 100) / 100);
                onAim({ heading: seen.middle_heading_deg, pitch: seen.middle_pitch_deg });
              }}
            >
              Move it
            </button>
          </div>
        </>
      ) : (
        <>
          <p>
            Drag the round mark on the Horizon to where “{together ? seen.group : seen.name}” shall be, or
            type it.
          </p>
          <div className="flex flex-wrap items-end gap-2">
            <div className="w-24">
              <NumberField
                label="To heading"
                unit="°"
                digits={1}
                value={aim.heading}
                onChange={(h) => onAim({ ...aim, heading: wrapHeading(h) })}
              />
            </div>
            {!onFloor && (
              <div className="w-24">
                <NumberField
                  label="To pitch"
                  unit="°"
                  digits={1}
                  min={-90}
                  max={90}
                  value={aim.pitch}
                  onChange={(p) => onAim({ ...aim, pitch: p })}
                />
              </div>
            )}
            <div className="w-28">
              <LengthField label="Distance" value={distance} min={0.05} onChange={setDistance} />
            </div>
            <div className="flex flex-col gap-1 pb-1">
              <Switch
                label="On the floor"
                on={onFloor}
                onChange={setOnFloor}
                hint="Off: it floats at the pitch that is asked for"
              />
              <Switch
                label="Keep facing the viewpoint"
                on={face}
                onChange={setFace}
                hint="It is turned about its middle, so that the side that faces the viewpoint still does"
              />
              {seen.group && seen.group_objects.length > 1 && (
                <Switch label={`All of “${seen.group}”`} on={together} onChange={setTogether} />
              )}
            </div>
          </div>
          <div className="flex gap-1.5">
            <button
              type="button"
              className="btn btn-primary btn-sm"
              disabled={stand.busy}
              onClick={() => {
                const wanted = { ...aim };
                stand.whole(() =>
                  api.moveObjects(project.id, {
                    pose: stand.current.pose,
                    objects: together
                      ? [seen.object, ...seen.group_objects.filter((o) => o !== seen.object)]
                      : [seen.object],
                    heading_deg: wanted.heading,
                    ...(onFloor ? {} : { pitch_deg: wanted.pitch }),
                    distance_m: distance,
                    face,
                  }),
                );
                onDone();
              }}
            >
              Move it here
            </button>
            <button type="button" className="btn btn-ghost btn-sm font-normal" onClick={() => onAim(null)}>
              Cancel
            </button>
          </div>
        </>
      )}
      <Problem error={problem} />
    </div>
  );
}
