import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import type { Project } from "../generated/Project";
import { degrees, length } from "../parts/units";
import { hiding } from "../preflight/applyFix";
import type { Stand } from "./useStand";

const percent = (share: number) => `${(share * 100).toFixed(share < 0.001 ? 3 : share < 0.1 ? 2 : 1)} %`;

/** Everything in sight with its share of the sphere, lights first; anything can be hidden from view. */
export function SeenPanel({
  project,
  stand,
  onShow,
}: {
  project: Project;
  stand: Stand;
  onShow: (heading: number, pitch: number) => void;
}) {
  const { pose } = stand.current;
  const { data } = useQuery({
    queryKey: ["shares", project.id, stand.dragging ? "moving" : pose.position, project.settings],
    queryFn: () => api.shares(project.id, pose),
    placeholderData: (before) => before,
    gcTime: 10_000,
  });
  return (
    <table className="table table-xs" data-testid="shares">
      <thead className="text-xs text-base-content/80">
        <tr>
          <th>In sight</th>
          <th className="text-right">Of the sphere</th>
          <th className="text-right">Distance</th>
          <th>Where</th>
          <th>View</th>
        </tr>
      </thead>
      <tbody>
        {data?.map((s) => (
          <tr key={s.key} data-testid="share" data-name={s.name} className={s.hidden ? "opacity-75" : ""}>
            <td className="max-w-40 truncate" title={s.name}>
              {s.name}
              {s.light && <span className="text-base-content/70"> · light</span>}
            </td>
            <td className="text-right">{s.hidden ? "hidden" : percent(s.share)}</td>
            <td className="text-right">{length(s.distance_m)}</td>
            <td>
              <button
                type="button"
                className="btn btn-ghost btn-xs px-1 font-normal"
                onClick={() => onShow(s.heading_deg, s.pitch_deg)}
              >
                {degrees(s.heading_deg, 0)} / {degrees(s.pitch_deg, 0)}
              </button>
            </td>
            <td>
              <button
                type="button"
                className="btn btn-ghost btn-xs px-1 font-normal"
                title={
                  s.hidden
                    ? "It is looked through; it lights and is mirrored all the same."
                    : "The eye looks through it; it goes on lighting and being mirrored."
                }
                onClick={() => stand.settings((now) => ({ lights: hiding(now, [s.key], !s.hidden) }))}
              >
                {s.hidden ? "Show" : "Hide"}
                <span className="sr-only"> {s.name}</span>
              </button>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
