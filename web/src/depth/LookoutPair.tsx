import { useState } from "react";
import type { Project } from "../generated/Project";
import type { Rig } from "../generated/Rig";
import type { Viewpoint } from "../generated/Viewpoint";
import { Problem } from "../parts/Problem";
import { Lookout } from "../sphere/Lookout";
import type { View } from "../sphere/geometry";
import { useLivePicture } from "../sphere/useLivePicture";

/** What each eye sees in one direction, beside each other; both turn together. */
export function LookoutPair({
  project,
  viewpoint,
  rig,
}: {
  project: Project;
  viewpoint: Viewpoint;
  rig: Rig;
}) {
  const [view, setView] = useState<View>({ lon: 0, lat: 0, hfov: 75 });
  const left = useLivePicture(project.id, viewpoint.pose, project.settings, { rig, show: "left" });
  const right = useLivePicture(project.id, viewpoint.pose, project.settings, { rig, show: "right" });
  return (
    <div className="ml-9" data-testid="lookout-pair">
      <div className="grid h-[45vh] grid-cols-2 gap-2">
        <Lookout
          picture={left.picture ?? null}
          view={view}
          turned={left.turned}
          onView={setView}
          label="Left eye's Lookout"
          className="size-full overflow-hidden rounded-box"
        />
        <Lookout
          picture={right.picture ?? null}
          view={view}
          turned={right.turned}
          onView={setView}
          label="Right eye's Lookout"
          className="size-full overflow-hidden rounded-box"
        />
      </div>
      <p className="pt-1 text-xs text-base-content/80">
        <span className="font-semibold">Lookouts</span>: left eye on the left, right eye on the right · drag
        either to look round · shown side by side; the file holds both eyes as it is packed.
      </p>
      <Problem error={left.problem ?? right.problem} />
    </div>
  );
}
