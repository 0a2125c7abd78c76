import { useState, type ReactNode } from "react";
import type { DepthInfo } from "../generated/DepthInfo";
import { api } from "../api/client";
import type { OffenderInfo } from "../generated/OffenderInfo";
import type { PickedDepth } from "../generated/PickedDepth";
import type { Pose } from "../generated/Pose";
import type { Project } from "../generated/Project";
import type { Rig } from "../generated/Rig";
import type { Viewpoint } from "../generated/Viewpoint";
import { Choice } from "../parts/Choice";
import { Problem } from "../parts/Problem";
import { useLatest } from "../parts/useLatest";
import { degrees, length, wrapHeading } from "../parts/units";
import { Horizon } from "../sphere/Horizon";
import { lightWords, useLivePicture } from "../sphere/useLivePicture";
import { HorizonMarks, type HorizonMark } from "../stand/HorizonMarks";
import { FrameView } from "./FrameView";
import { LookoutPair } from "./LookoutPair";
import { PlanesOnPaper } from "./PlanesOnPaper";
import { useStrain } from "./useStrain";
import { calm, useTurn } from "./useTurn";
import { GUIDES, type Guide } from "./guides";
import { SHOWN, shownWords, type Shown } from "./shown";

/** Most names that are written on a picture. */
const NAMED = 10;
/** What the eyes see: the Horizon of a panoramic pair, or the frame of a flat one. */
export function PairView({
  project,
  viewpoint,
  rig,
  depth,
  moving,
  looked,
  onPick,
}: {
  project: Project;
  viewpoint: Viewpoint;
  rig: Rig;
  depth: DepthInfo | null;
  moving: boolean;
  /** What is pointed out. */
  looked: OffenderInfo | null;
  /** A place of the picture was picked, 0 to 1 to the right and down. */
  onPick: ((place: [number, number]) => void) | undefined;
}) {
  const [wanted, setWanted] = useState<Shown>("half-colour");
  const [guide, setGuide] = useState<Guide>("none");
  const [hover, setHover] = useState<[number, number] | null>(null);
  const [names, setNames] = useState(true);
  const [comfort, setComfort] = useState(true);
  const [planes, setPlanes] = useState(false);
  const two = rig.kind !== "off";
  const flat = rig.kind === "flat";
  const layer = useStrain(project, viewpoint, rig, two && (flat ? planes : comfort) && !moving);
  const shown: Shown = !two ? "left" : wanted === "lookouts" && rig.kind === "flat" ? "left" : wanted;
  const under = useLatest<[Pose, Rig, [number, number]], PickedDepth | null>(
    hover && two ? [viewpoint.pose, rig, hover] : null,
    ([pose, rig, pick]) => api.depthAt(project.id, { pose, rig, pick }),
    60,
  );
  const turn = useTurn(shown === "flicker");
  const live = useLivePicture(project.id, viewpoint.pose, project.settings, {
    moving,
    ...(two
      ? { rig, show: shown === "flicker" ? turn : shown === "lookouts" || shown === "paper" ? "left" : shown }
      : {}),
  });
  const { pose } = viewpoint;
  const mark = (o: OffenderInfo, look: HorizonMark["look"]) => ({
    key: `${look}-${o.object}-${o.beyond}`,
    heading: o.heading_deg,
    pitch: o.pitch_deg,
    place: o.place,
    text: `${o.object}, ${o.px === null ? `${(o.degrees ?? 0).toFixed(1)}°` : `${o.px.toFixed(0)} px`}`,
    look,
  });
  // What is pointed out is named before all others.
  const marks = [
    ...(looked ? [mark(looked, "picked")] : []),
    ...(names && depth ? depth.offenders.slice(0, NAMED).map((o) => mark(o, "warn")) : []),
  ];
  const framed = marks.flatMap(({ key, place, text, look }) => (place ? [{ key, place, text, look }] : []));
  const note: ReactNode = (
    // One line of its own, always: what lies under the pointer must not move the buttons below as it comes and goes.
    <span className="h-4 w-full truncate" data-testid="pair-note">
      {shown !== "paper" && (lightWords(live) ? `Live, ${lightWords(live)}` : "Preparing the light")}
      {two && !hover && `${shown === "paper" ? "" : " · "}${shownWords(shown, rig)}`}
      {hover && (
        <span data-testid="under">
          {!flat &&
            ` · ${degrees(wrapHeading(pose.heading_deg + (hover[0] - 0.5) * 360))} / ${degrees((0.5 - hover[1]) * 180)}`}
          {under.value &&
            ` · ${under.value.object} at ${length(under.value.distance_m)}${under.value.degrees === null ? "" : `, ${under.value.degrees.toFixed(2)}°`}${under.value.px === null ? "" : `, ${under.value.px.toFixed(1)} px`}`}
          , click to pick
        </span>
      )}
    </span>
  );
  const close = rig.kind === "panoramic" ? rig.close_deg : null;
  return (
    <>
      {two && (
        <div className="ml-9 flex flex-wrap items-end gap-3">
          <Choice<Shown>
            label="Shown as"
            className="w-52"
            value={shown}
            options={SHOWN.filter(
              ([s]) => (s !== "flicker" || !calm()) && (s !== "lookouts" || rig.kind === "panoramic"),
            )}
            onChange={setWanted}
          />
          {flat && shown !== "paper" && (
            <Choice<Guide>
              label="Guides"
              className="w-52"
              value={guide}
              options={GUIDES}
              onChange={setGuide}
            />
          )}
          {shown !== "lookouts" && shown !== "paper" && (
            <div className="flex flex-col gap-1.5 pb-0.5 text-[13px]">
              <label className="flex cursor-pointer items-center gap-2">
                <input
                  type="checkbox"
                  className="checkbox checkbox-xs rounded-sm"
                  checked={names}
                  onChange={(e) => setNames(e.target.checked)}
                />
                Names of what is beyond comfort
              </label>
              <label className="flex cursor-pointer items-center gap-2">
                <input
                  type="checkbox"
                  className="checkbox checkbox-xs rounded-sm"
                  checked={flat ? planes : comfort}
                  onChange={(e) => (flat ? setPlanes : setComfort)(e.target.checked)}
                />
                {flat ? "Planes of depth" : "Amber where too near"}
              </label>
            </div>
          )}
        </div>
      )}
      {shown === "paper" ? (
        <PlanesOnPaper key={viewpoint.id} project={project} pose={pose} depth={depth} note={note} />
      ) : shown === "lookouts" ? (
        <LookoutPair project={project} viewpoint={viewpoint} rig={rig} />
      ) : rig.kind === "flat" ? (
        <FrameView
          picture={live.url}
          layer={layer}
          rig={rig}
          guide={guide}
          marks={framed}
          note={note}
          onPick={onPick}
          onHover={setHover}
        />
      ) : (
        <Horizon
          share={0.45}
          picture={live.url}
          label={two ? "Unrolled picture of both eyes" : "Unrolled picture"}
          heading={pose.heading_deg}
          turned={live.turned}
          pitch={pose.pitch_deg}
          roll={pose.roll_deg}
          note={note}
          {...(onPick
            ? {
                onHover: setHover,
                onPick: (lon: number, lat: number) => onPick([lon / 360 + 0.5, 0.5 - lat / 180]),
              }
            : {})}
        >
          {layer && rig.kind === "panoramic" && (
            <div
              className="pointer-events-none absolute inset-0 bg-[#f0a020] opacity-60"
              style={{ maskImage: `url(${layer})`, maskMode: "luminance", maskSize: "100% 100%" }}
              data-testid="strain"
            />
          )}
          {close && (
            <svg
              viewBox="0 0 360 180"
              preserveAspectRatio="none"
              className="pointer-events-none absolute inset-0 size-full"
              aria-hidden="true"
              data-testid="closing"
            >
              {close
                .flatMap((lat) => [lat, -lat])
                .map((lat) => (
                  <line
                    key={lat}
                    x1="0"
                    x2="360"
                    y1={90 - lat}
                    y2={90 - lat}
                    stroke="#fff"
                    strokeOpacity="0.6"
                    strokeWidth="0.4"
                    strokeDasharray={Math.abs(lat) === close[0] ? "4 2" : "1 2"}
                  />
                ))}
            </svg>
          )}
          <HorizonMarks marks={marks} turn={pose} sparse />
        </Horizon>
      )}
      <Problem error={live.problem} />
    </>
  );
}
