import { useQuery } from "@tanstack/react-query";
import { useRef } from "react";
import { api } from "../api/client";
import type { FindingInfo } from "../generated/FindingInfo";
import type { Project } from "../generated/Project";

interface Found {
  /** Everything that would spoil a result, the worst first; nothing until it is known. */
  findings: FindingInfo[] | undefined;
  /** Whether it was found for things as they are now; else it is shown until that is known. */
  fresh: boolean;
  /** Why it could not be found, and how to look once more. */
  problem: Error | null;
  again: () => void;
}

/** How long a change must stand before it is looked at, milliseconds: its live picture comes first. */
const SETTLED = 1000;

/** What the preflight finds in a project. */
export function usePreflight(project: Project): Found {
  // Whatever can change a finding is part of the key, so that nothing stale is shown for long.
  const { id, settings, orders } = project;
  const viewpoints = project.viewpoints.map((v) => ({ ...v, version: 0 }));
  const version = JSON.stringify([settings, viewpoints, orders.map((o) => [o.id, o.state])]);
  const known = useRef(false);
  const { data, isPlaceholderData, error, refetch } = useQuery({
    queryKey: ["preflight", id, version],
    queryFn: async ({ signal }) => {
      if (known.current) await new Promise((r) => setTimeout(r, SETTLED));
      // Whatever changed meanwhile asks for itself.
      signal.throwIfAborted();
      known.current = true;
      return api.preflight(id);
    },
    placeholderData: (before) => before,
    gcTime: 60_000,
  });
  return {
    findings: data,
    fresh: data !== undefined && !isPlaceholderData && error === null,
    problem: error,
    again: () => void refetch(),
  };
}
