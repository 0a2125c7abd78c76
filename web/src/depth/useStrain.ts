import { useRef } from "react";
import { api } from "../api/client";
import type { Project } from "../generated/Project";
import type { Rig } from "../generated/Rig";
import type { Viewpoint } from "../generated/Viewpoint";
import { useLatest } from "../parts/useLatest";

/** The address of the layer that shows what is too near for two eyes, or the planes of depth of a flat pair. */
export function useStrain(project: Project, viewpoint: Viewpoint, rig: Rig, on: boolean): string | null {
  const { unit, time_s, moves, up } = project.settings;
  const key = on
    ? {
        pose: viewpoint.pose,
        rig: { ...rig, note: "", titles: [] },
        scene: JSON.stringify([unit, time_s, moves, up]),
      }
    : null;
  const before = useRef<string | null>(null);
  const { value } = useLatest(
    key,
    async ({ pose, rig }) => {
      const made = URL.createObjectURL(await api.strain(project.id, { pose, rig }));
      if (before.current) URL.revokeObjectURL(before.current);
      before.current = made;
      return made;
    },
    100,
  );
  return on ? value : null;
}
