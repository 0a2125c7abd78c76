import type { QueryClient } from "@tanstack/react-query";
import { changeSettings, changeViewpoint } from "../api/changing";
import type { FindingInfo } from "../generated/FindingInfo";
import { withPlace } from "../stand/path";
import type { Project } from "../generated/Project";
import type { SceneSettings } from "../generated/SceneSettings";

/** The lights' settings with some bodies hidden from view or shown. */
export function hiding(settings: SceneSettings, hide: string[], unseen: boolean): SceneSettings["lights"] {
  const lights = { ...settings.lights };
  for (const key of hide) {
    const next = { on: true, stops: 0, ...lights[key], unseen };
    // What is as it came needs no setting.
    if (next.on && next.stops === 0 && !unseen) delete lights[key];
    else lights[key] = next;
  }
  return lights;
}

/** Does what one click can do about a finding. */
export async function applyFix(
  queries: QueryClient,
  project: Project,
  { fix, viewpoint }: FindingInfo,
): Promise<void> {
  if (!fix) return;
  if (fix.hide.length > 0) {
    await changeSettings(queries, project, { lights: hiding(project.settings, fix.hide, true) });
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
      // Who is led along a path leads it by moving.
      path: v.path && withPlace(v.path, project.settings.time_s, fix.pose.position),
    });
  }
}
