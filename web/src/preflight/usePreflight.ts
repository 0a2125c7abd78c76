import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import type { FindingInfo } from "../generated/FindingInfo";
import type { Project } from "../generated/Project";

/** Everything that would spoil a result, the worst first; nothing until it is known. */
export function usePreflight(project: Project): FindingInfo[] | undefined {
  // Whatever can change a finding is part of the key, so that nothing stale is shown for long.
  const { id, settings, viewpoints, orders } = project;
  const version = JSON.stringify([settings, viewpoints, orders.map((o) => [o.id, o.state])]);
  const { data } = useQuery({
    queryKey: ["preflight", id, version],
    queryFn: () => api.preflight(id),
    placeholderData: (before) => before,
    gcTime: 60_000,
  });
  return data;
}
