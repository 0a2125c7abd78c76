import type { QueryClient } from "@tanstack/react-query";
import { changeSettings, changeViewpoint } from "../api/changing";
import type { FindingInfo } from "../generated/FindingInfo";
import { withoutHeadings, withPlace } from "../stand/path";
import type { Pose } from "../generated/Pose";
import type { Viewpoint } from "../generated/Viewpoint";
import type { Project } from "../generated/Project";
import type { SceneSettings } from "../generated/SceneSettings";

/** The lights' settings with some bodies hidden from view or shown. */
export function hiding(settings: SceneSettings, hide: string[], unseen: boolean): SceneSettings["lights"] {
  const lights = { ...settings.lights };
  for (const key of hide) {
    const next = { on: true, stops: 0, ...lights[key], unseen };
    // What is as it came needs no setting.
    if (next.on && next.stops === 0 && !unseen && !next.distribution) delete lights[key];
    else lights[key] = next;
  }
  return lights;
}

/** A path that leads a viewpoint to another pose at a moment: through another place, or looking where the pose looks all the way. */
function led({ path, pose }: Viewpoint, to: Pose, time: number): Viewpoint["path"] {
  if (!path) return null;
  if (to.position.some((v, i) => v !== pose.position[i])) return withPlace(path, time, to.position);
  return to.heading_deg === pose.heading_deg ? path : withoutHeadings(path);
}

/** Does what one click can do about a finding. */
export async function applyFix(
  queries: QueryClient,
  project: Project,
  { fix, viewpoint }: FindingInfo,
): Promise<void> {
  if (!fix) return;
  if (fix.hide.length > 0) {
    const { hide } = fix;
    await changeSettings(queries, project, (now) => ({ lights: hiding(now, hide, true) }));
  }
  const v = project.viewpoints.find((o) => o.id === viewpoint);
  if (fix.pose && v) {
    const level = fix.pose.pitch_deg === 0 && fix.pose.roll_deg === 0;
    await changeViewpoint(queries, project.id, v, {
      name: v.name,
      pose: fix.pose,
      unlocked: v.unlocked && !level,
      opening: v.opening,
      ride: v.ride,
      path: v.path && led(v, fix.pose, project.settings.time_s),
    });
  }
}
