import type { Pose } from "../generated/Pose";
import type { Project } from "../generated/Project";
import type { SetupName } from "../generated/SetupName";
import { Problem } from "../parts/Problem";
import { Horizon } from "../sphere/Horizon";
import { lightWords, useLivePicture } from "../sphere/useLivePicture";

/** The same view in another light setup. */
export function OtherLight({
  project,
  pose,
  setup,
  clay,
}: {
  project: Project;
  pose: Pose;
  setup: SetupName;
  clay: boolean;
}) {
  const live = useLivePicture(project.id, pose, project.settings, { setup: setup.number, clay });
  return (
    <div data-testid="other-light">
      <Horizon
        share={0.3}
        picture={live.url}
        label={`Unrolled picture in the light of ${setup.name}`}
        heading={pose.heading_deg}
        turned={live.turned}
        note={<span>{lightWords(live) ? `In “${setup.name}”, ${lightWords(live)}` : "Preparing"}</span>}
      />
      <Problem error={live.problem} />
    </div>
  );
}
