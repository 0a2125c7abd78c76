import { useEffect, useState } from "react";
import { api } from "../api/client";
import type { DepthFrame } from "../generated/DepthFrame";
import type { DepthFramesRequest } from "../generated/DepthFramesRequest";
import type { Project } from "../generated/Project";
import type { Rig } from "../generated/Rig";
import type { Viewpoint } from "../generated/Viewpoint";
import { lastOf, motionOf, framesPerSecond } from "../render/frames";

/** Frames that are asked for at a time. */
const AT_A_TIME = 24;
/** How long nothing may change before the frames are looked at, milliseconds. */
const PAUSE = 300;

/** A way with its frames, as it is asked about: nothing in it changes while its viewpoint is at another moment. */
function requestOf(project: Project, { pose, path, ride }: Viewpoint, rig: Rig, rate: string, last: number) {
  const moved = path !== null || ride !== null;
  const keyed = (of: "separation_m" | "converge_m") => path?.keys.find((k) => k[of] !== null)?.[of] ?? null;
  const [separation, converge] = [keyed("separation_m"), keyed("converge_m")];
  const first = Math.ceil((path?.keys[0]?.time_s ?? 0) * framesPerSecond(rate) - 1e-6);
  const request: DepthFramesRequest = {
    pose: moved
      ? {
          ...pose,
          position: [0, 0, 0],
          heading_deg: path?.keys.some((k) => k.heading_deg !== null) ? 0 : pose.heading_deg,
        }
      : pose,
    rig: {
      ...rig,
      ...(separation !== null && { separation_m: separation / rig.scale }),
      ...(converge !== null && { converge_m: converge, flat: { ...rig.flat, converge_m: converge } }),
    },
    path,
    ride,
    first: Math.min(first, last),
    last,
    step: 1,
    rate,
  };
  const { unit, moves, up, replaced } = project.settings;
  return JSON.stringify([project.id, request, unit, moves, up, replaced]);
}

/** Looks at every frame of a viewpoint's way, some at a time; what was seen is there as it comes. */
export function useDepthFrames(
  project: Project,
  viewpoint: Viewpoint | undefined,
  rig: Rig | undefined,
  rate: string,
  wanted: boolean,
) {
  const last = viewpoint ? lastOf(motionOf(project, viewpoint.id), rate) : 0;
  const asked =
    wanted && viewpoint && rig && rig.kind !== "off" && last > 0
      ? requestOf(project, viewpoint, rig, rate, last)
      : null;
  const [state, setState] = useState<{ of: string | null; frames: DepthFrame[]; problem: unknown }>({
    of: null,
    frames: [],
    problem: null,
  });
  useEffect(() => {
    if (asked === null) return;
    const going = { stopped: false };
    const look = async () => {
      const [id, request] = JSON.parse(asked) as [number, DepthFramesRequest];
      await new Promise((r) => setTimeout(r, PAUSE));
      let frames: DepthFrame[] = [];
      for (let first = request.first; first <= request.last && !going.stopped; first += AT_A_TIME) {
        try {
          const part = { ...request, first, last: Math.min(request.last, first + AT_A_TIME - 1) };
          frames = [...frames, ...(await api.depthFrames(id, part))];
          if (!going.stopped) setState({ of: asked, frames, problem: null });
        } catch (problem) {
          if (!going.stopped) setState({ of: asked, frames, problem });
          return;
        }
      }
    };
    void look();
    return () => {
      going.stopped = true;
    };
  }, [asked]);
  const request = asked === null ? null : (JSON.parse(asked) as [number, DepthFramesRequest])[1];
  return {
    /** Frames from the first on, as far as they were looked at. */
    frames: state.of === asked ? state.frames : [],
    total: request ? request.last - request.first + 1 : 0,
    problem: state.of === asked ? state.problem : null,
  };
}

export type DepthFrames = ReturnType<typeof useDepthFrames>;
