import { sceneKey } from "../scene/sceneKey";
import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import type { FramedCamera } from "../generated/FramedCamera";
import type { Project } from "../generated/Project";
import { Problem } from "../parts/Problem";
import { degrees } from "../parts/units";

/** The cameras of the scene, to be taken for the frame with place, direction and lens. */
export function CameraChoice({
  project,
  onTake,
}: {
  project: Project;
  onTake: (camera: FramedCamera) => void;
}) {
  const { unit, time_s, up } = project.settings;
  const { data, error } = useQuery({
    queryKey: ["cameras", project.id, sceneKey(project.scene), unit, time_s, up],
    queryFn: () => api.cameras(project.id),
  });
  const cameras = (data ?? []).filter((c) => c.frame !== null);
  if (project.scene.cameras.length === 0) return null;
  return (
    <>
      <label className="col-span-2 block text-xs">
        <span className="text-base-content/80">Take place, direction and lens of a camera of the scene</span>
        <select
          className="select select-sm mt-0.5 w-full bg-base-100"
          value=""
          disabled={cameras.length === 0}
          onChange={(e) => {
            const camera = cameras[Number(e.target.value)];
            if (e.target.value !== "" && camera) onTake(camera);
          }}
        >
          <option value="">{data && cameras.length === 0 ? "none has a lens" : "choose a camera"}</option>
          {cameras.map((c, i) => (
            <option key={`${c.name}-${c.node}`} value={i}>
              {c.name}
              {c.frame && `, ${degrees(c.frame.hfov_deg)} wide, ${c.frame.ratio.toFixed(2)}:1`}
              {c.frame && !c.frame.ratio_told && " (ratio not told)"}
            </option>
          ))}
        </select>
      </label>
      <Problem error={error} />
    </>
  );
}
