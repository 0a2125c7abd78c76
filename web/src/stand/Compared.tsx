import type { Pose } from "../generated/Pose";
import type { Project } from "../generated/Project";
import type { Viewpoint } from "../generated/Viewpoint";
import { Horizon } from "../sphere/Horizon";
import { useLivePicture } from "../sphere/useLivePicture";

/** The Horizon of another viewpoint, turned so that its headings lie under the ones above. */
export function Compared({
  project,
  viewpoint,
  heading,
  moving,
}: {
  project: Project;
  viewpoint: Viewpoint;
  heading: number;
  moving: boolean;
}) {
  const pose: Pose = { ...viewpoint.pose, heading_deg: heading };
  const live = useLivePicture(project.id, pose, project.settings, { moving });
  return (
    <div data-testid="compared">
      <Horizon
        picture={live.url}
        label={`Live unrolled view of ${viewpoint.name}`}
        heading={heading}
        turned={live.turned}
        pitch={pose.pitch_deg}
        roll={pose.roll_deg}
        note={<span>“{viewpoint.name}”, turned to the same headings</span>}
      />
    </div>
  );
}
