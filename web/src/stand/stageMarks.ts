import type { FindingInfo } from "../generated/FindingInfo";
import type { Pose } from "../generated/Pose";
import type { Project } from "../generated/Project";
import type { SightLine } from "../generated/SightLine";
import { wrapHeading } from "../parts/units";
import { findingMarks, type HorizonMark } from "./HorizonMarks";
import type { Picked } from "./SurfacePanel";

/** Heading and pitch from one place to another, degrees. */
function towards(from: readonly number[], to: readonly number[]): { heading: number; pitch: number } {
  const [dx = 0, dy = 0, dz = 0] = to.map((c, i) => c - (from[i] ?? 0));
  return {
    heading: wrapHeading((Math.atan2(dx, -dz) * 180) / Math.PI),
    pitch: (Math.atan2(dy, Math.hypot(dx, dz)) * 180) / Math.PI,
  };
}

/** What is marked on the Horizon: findings, viewpoints in sight, what was picked, where it is to go. */
export function stageMarks(
  project: Project,
  viewpoint: number,
  pose: Pose,
  findings: FindingInfo[],
  sights: SightLine[],
  picked: Picked | null,
  aim: { heading: number; pitch: number } | null,
): HorizonMark[] {
  const sees = (other: number) =>
    sights.some(
      (s) =>
        s.between === null &&
        ((s.from === other && s.to === viewpoint) || (s.to === other && s.from === viewpoint)),
    );
  const marks: HorizonMark[] = [
    ...findingMarks(findings),
    ...project.viewpoints
      .filter((v) => v.id !== viewpoint && sees(v.id))
      .map((v) => ({
        key: `sight-${v.id}`,
        ...towards(pose.position, v.pose.position),
        text: v.name,
        look: "sight" as const,
      })),
  ];
  if (picked && aim) {
    marks.push({ key: "aim", ...aim, text: `${picked.seen.name} to here`, look: "aim" });
  } else if (picked) {
    const { heading, pitch, seen } = picked;
    marks.push({ key: "picked", heading, pitch, text: seen.name, look: "picked" });
  }
  return marks;
}
