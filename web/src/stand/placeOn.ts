import { api } from "../api/client";
import type { Pose } from "../generated/Pose";
import type { Project } from "../generated/Project";
import type { ViewpointDraft } from "../generated/ViewpointDraft";
import { freeName } from "./names";

/**
 * A viewpoint over the floor beneath a place, at eye height but below the ceiling. Over the void it stands at the height of
 * the viewpoint that it was placed from, whose floor is at `floorY`.
 */
export async function placeOn(
  project: Project,
  viewpoint: number,
  from: Pose,
  { floorY, eyeHeight }: { floorY: number; eyeHeight: number },
): Promise<ViewpointDraft> {
  const around = await api.clearance(project.id, viewpoint, from);
  const floor = around.floor.floor_y ?? floorY;
  const ceiling = around.floor.ceiling_y ?? Infinity;
  const height = Math.min(eyeHeight, Math.max(0.3, (ceiling - floor) * 0.9));
  const [x, , z] = from.position;
  return {
    name: freeName(project),
    pose: { ...from, position: [x, floor + height, z], pitch_deg: 0, roll_deg: 0 },
    unlocked: false,
    opening: null,
    ride: null,
    path: null,
  };
}
