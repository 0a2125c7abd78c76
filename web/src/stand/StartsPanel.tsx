import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import type { Project } from "../generated/Project";
import type { StartInfo } from "../generated/StartInfo";
import { length } from "../parts/units";
import type { Stand } from "./useStand";

/** The middles of the scene's spaces, each with its small unrolled picture. */
export function StartsPanel({
  project,
  stand,
  version,
}: {
  project: Project;
  stand: Stand;
  version: string;
}) {
  const { data } = useQuery({
    queryKey: ["starts", project.id, version],
    queryFn: () => api.starts(project.id),
  });
  if (!data) return <p className="text-[13px] text-base-content/80">Searching for enclosed spaces …</p>;
  if (data.length === 0)
    return (
      <p className="text-[13px] text-base-content/80">
        No place to stand was found; add a viewpoint by clicking on the plan.
      </p>
    );
  const standThere = (s: StartInfo) => stand.change({ position: s.pose.position }, true);
  return (
    <ul className="grid grid-cols-2 gap-2 xl:grid-cols-3">
      {data.map((s, i) => (
        <li key={s.pose.position.join()} className="flex flex-col gap-1" data-testid="start">
          <img
            src={api.startPicture(project.id, s.pose, version)}
            alt={`Unrolled view from place ${i + 1}`}
            className="mid-grey aspect-[2/1] w-full rounded"
          />
          <p className="text-xs leading-snug">
            {i + 1}. On “{s.floor}”, {length(s.free_m)} free all round
          </p>
          <div className="flex gap-1">
            <button type="button" className="btn btn-xs font-normal" onClick={() => standThere(s)}>
              Stand here<span className="sr-only">, place {i + 1}</span>
            </button>
            <button
              type="button"
              className="btn btn-ghost btn-xs font-normal"
              onClick={() =>
                stand.add({
                  name: `Place ${i + 1}`,
                  pose: s.pose,
                  unlocked: false,
                  opening: null,
                  ride: null,
                  path: null,
                })
              }
            >
              Add<span className="sr-only"> place {i + 1} as a viewpoint</span>
            </button>
          </div>
        </li>
      ))}
    </ul>
  );
}
