import { useEffect, useLayoutEffect, useRef, useState } from "react";
import { api } from "../api/client";
import type { PathInfo } from "../generated/PathInfo";
import type { PathRequest } from "../generated/PathRequest";
import type { Pose } from "../generated/Pose";
import type { Project } from "../generated/Project";
import type { ViewpointPath } from "../generated/ViewpointPath";
import { useLatest } from "../parts/useLatest";
import { momentAt, withoutKey } from "./path";
import { PACE, type Stand } from "./useStand";

/** The path of the chosen viewpoint, what is told of it, and the moment that is shown. */
export function usePath(project: Project, stand: Stand) {
  const path = stand.current.path;
  const id = stand.viewpoint?.id ?? 0;
  // The moment that the hand is at, ahead of what the project keeps.
  const [ahead, setAhead] = useState<number | null>(null);
  const [held, setHeld] = useState(false);
  const [playing, setPlaying] = useState(false);
  // The key whose place is meant when the viewpoint is moved.
  const [chosen, setChosen] = useState<number | null>(null);
  const [shownFor, setShownFor] = useState(id);
  if (shownFor !== id) {
    setShownFor(id);
    setAhead(null);
    setPlaying(false);
    setChosen(null);
  }
  const kept = project.settings.time_s;
  const time = ahead ?? kept;
  // What the project has come to is no longer ahead of it.
  if (ahead !== null && !held && !playing && !stand.dragging && ahead === kept) setAhead(null);

  const asked = useLatest<[PathRequest, string], { of: ViewpointPath; viewpoint: number; found: PathInfo }>(
    path && path.keys.length > 0
      ? [
          {
            path,
            pose: { ...stand.current.pose, position: [0, 0, 0] },
            ...(stand.viewpoint ? { rig: stand.viewpoint.rig } : {}),
          },
          JSON.stringify([id, project.settings.moves, project.settings.unit]),
        ]
      : null,
    async ([request]) => ({
      of: request.path,
      viewpoint: id,
      found: await api.path(project.id, request),
    }),
    60,
  );
  const told = path && asked.value?.viewpoint === id ? asked.value : null;
  const info = told?.found ?? null;
  const [from, to] = [info?.moments[0]?.time_s ?? 0, info?.moments.at(-1)?.time_s ?? 0];

  const { sayKeyTime } = stand;
  useLayoutEffect(() => {
    const of = chosen === null ? undefined : path?.keys[chosen];
    sayKeyTime(() => of?.time_s ?? (info && momentAt(info, time)?.key_time_s) ?? time);
  });

  const keep = (moment: number) => {
    if (moment !== project.settings.time_s) stand.settings({ time_s: moment });
  };
  /** Goes to a moment; it is kept once the hand lets go. */
  const scrub = (moment: number, end: boolean) => {
    const next = Number(Math.max(0, moment).toFixed(3));
    setPlaying(false);
    setChosen(null);
    setHeld(!end);
    setAhead(next);
    if (end) keep(next);
  };
  const begun = useRef({ at: 0, from: 0 });
  const play = () => {
    const first = time >= to - 0.01 || time < from ? from : time;
    begun.current = { at: performance.now(), from: first };
    setAhead(first);
    setPlaying(true);
  };
  const stop = () => {
    setPlaying(false);
    keep(time);
  };
  const ended = useRef(keep);
  useEffect(() => {
    ended.current = keep;
  });
  useEffect(() => {
    if (!playing) return;
    let frame = 0;
    let drawn = 0;
    const next = () => {
      const { at, from: first } = begun.current;
      const now = Math.min(to, first + (performance.now() - at) / 1000);
      // What is drawn more often than there are new pictures takes the time that they need.
      if (now >= to || performance.now() - drawn >= PACE) {
        drawn = performance.now();
        setAhead(Number(now.toFixed(3)));
      }
      if (now < to) frame = requestAnimationFrame(next);
      else {
        setPlaying(false);
        ended.current(Number(to.toFixed(3)));
      }
    };
    frame = requestAnimationFrame(next);
    return () => cancelAnimationFrame(frame);
  }, [playing, to]);

  const moment = info && ahead !== null ? momentAt(info, ahead) : null;
  const pose: Pose =
    moment && !stand.dragging
      ? { ...stand.current.pose, position: moment.position, heading_deg: moment.heading_deg }
      : stand.current.pose;
  const moving = held || playing;

  /** Another path; the key that is `meant` stays chosen. */
  const change = (next: ViewpointPath | null, meant: number | null = null) => {
    setChosen(meant);
    stand.change({ path: next }, true);
  };
  /** A key is meant from now on: the viewpoint goes there. */
  const choose = (at: number) => {
    const of = path?.keys[at];
    if (!of) return;
    setPlaying(false);
    setAhead(info?.key_moments_s[at] ?? of.time_s);
    setChosen(at);
    // Only now the viewpoint is where the key is, and not where it was at the moment before.
    sayKeyTime(() => of.time_s);
    stand.change({ position: of.position }, false);
  };
  /** The key that is meant has been let go; `moved` tells whether it went anywhere. */
  const letGo = (moved: boolean) => {
    const next = Number((ahead ?? kept).toFixed(3));
    setAhead(next);
    // One after the other, so that neither is told of an older state.
    if (moved) stand.afterSaving(() => keep(next));
    else {
      stand.release();
      keep(next);
    }
  };

  return {
    path,
    info,
    /** Whether what is told is of an older path: a newer answer is on its way. */
    stale: told !== null && told.of !== path && JSON.stringify(told.of) !== JSON.stringify(path),
    time,
    /** The moment that is shown where it is not the project's. */
    ahead,
    from,
    to,
    pose,
    moving,
    playing,
    chosen,
    problem: asked.problem,
    scrub,
    play,
    stop,
    change,
    choose,
    letGo,
    remove: (at: number) => path && change(path.keys.length > 1 ? withoutKey(path, at) : null),
  };
}

export type PathState = ReturnType<typeof usePath>;
