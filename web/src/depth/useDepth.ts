import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../api/client";
import { changeViewpoint } from "../api/changing";
import type { DepthInfo } from "../generated/DepthInfo";
import type { Pose } from "../generated/Pose";
import type { Project } from "../generated/Project";
import type { Rig } from "../generated/Rig";
import type { Viewpoint } from "../generated/Viewpoint";
import { useLatest } from "../parts/useLatest";
import { draftOf } from "../stand/useStand";

/** The rig of a viewpoint while it is changed, and what its eyes see. */
export function useDepth(project: Project, viewpoint: Viewpoint | undefined) {
  const queries = useQueryClient();
  // What is being changed is ahead of what the page knows from the server, until that has come to the version it was saved as.
  const [ahead, setAhead] = useState<{ of: number; rig: Rig; saved?: number } | null>(null);
  const [dragging, setDragging] = useState(false);
  const save = useMutation({
    mutationFn: ({ of, rig, pose }: { of: Viewpoint; rig: Rig; pose?: Pose }) =>
      changeViewpoint(queries, project.id, of, { ...draftOf(of), rig, ...(pose && { pose }) }),
    // What was changed since then stays ahead.
    onSuccess: ({ version }, { rig }) =>
      setAhead((now) => (now?.rig === rig ? { ...now, saved: version } : now)),
    onError: () => setAhead(null),
  });
  const isAhead =
    ahead !== null &&
    ahead.of === viewpoint?.id &&
    (ahead.saved === undefined || viewpoint.version < ahead.saved);
  const rig = isAhead ? ahead.rig : viewpoint?.rig;
  const { unit, time_s, moves, up } = project.settings;
  const told = useLatest<[Pose, Rig, string], DepthInfo>(
    viewpoint && rig ? [viewpoint.pose, rig, JSON.stringify([unit, time_s, moves, up])] : null,
    ([pose, rig]) => api.depth(project.id, { pose, rig }),
    60,
  );
  const change = (to: Rig, end = true) => {
    if (!viewpoint) return;
    setAhead({ of: viewpoint.id, rig: to });
    setDragging(!end);
    if (end) save.mutate({ of: viewpoint, rig: to });
  };
  /** The viewpoint itself goes elsewhere too. */
  const place = (pose: Pose, to: Rig) => {
    if (!viewpoint) return;
    setAhead({ of: viewpoint.id, rig: to });
    save.mutate({ of: viewpoint, rig: to, pose });
  };
  return { rig, change, place, dragging, depth: told.value, error: save.error ?? told.problem };
}

export type Depth = ReturnType<typeof useDepth>;
