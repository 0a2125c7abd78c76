import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useLayoutEffect, useRef, useState } from "react";
import { api } from "../api/client";
import { keys } from "../api/changes";
import { beginning, changeViewpoint, changeSettings, type SettingsPart } from "../api/changing";
import type { ClearanceInfo } from "../generated/ClearanceInfo";
import type { Pose } from "../generated/Pose";
import type { Project } from "../generated/Project";
import type { Viewpoint } from "../generated/Viewpoint";
import type { ViewpointDraft } from "../generated/ViewpointDraft";
import { useLatest } from "../parts/useLatest";
import { wrapHeading } from "../parts/units";
import { usePreflight } from "../preflight/usePreflight";
import { withPlace } from "./path";

export const draftOf = ({ name, pose, unlocked, opening, ride, path }: Viewpoint): ViewpointDraft => ({
  name,
  pose,
  unlocked,
  opening,
  ride,
  path,
});

/** A part of a viewpoint that changes. */
export type Change = Partial<Omit<ViewpointDraft, "pose">> & Partial<Pose>;

/**
 * The page is drawn at most so often while something is dragged, milliseconds: what is drawn more often than there are new pictures
 * takes the time that they need.
 */
export const PACE = 40;

const NOWHERE: ViewpointDraft = {
  name: "",
  unlocked: false,
  opening: null,
  ride: null,
  path: null,
  pose: { position: [0, 0, 0], heading_deg: 0, pitch_deg: 0, roll_deg: 0 },
};

/** Which viewpoint is chosen, how it is being changed, and what is round it. */
export function useStand(project: Project) {
  const queries = useQueryClient();
  const [chosen, setChosen] = useState(project.viewpoints[0]?.id ?? 0);
  const viewpoint = project.viewpoints.find((v) => v.id === chosen) ?? project.viewpoints[0];
  // What is being moved is ahead of what the server knows.
  const [ahead, setAhead] = useState<ViewpointDraft | null>(null);
  const [dragging, setDragging] = useState(false);
  const current = ahead ?? (viewpoint ? draftOf(viewpoint) : NOWHERE);
  // What the page shows of a drag may be a little behind where the hand is.
  const latest = useRef(current);
  const behind = useRef<number | undefined>(undefined);
  const shownAt = useRef(0);
  const chosenNow = useRef(chosen);
  // The time among the keys of a path at which the viewpoint is; whoever shows the path knows it.
  const keyTime = useRef<() => number>(() => project.settings.time_s);
  const sayKeyTime = useCallback((ask: () => number) => {
    keyTime.current = ask;
  }, []);
  // Moves over the ground that were begun.
  const moves = useRef(0);
  // The same all through one drag: at one speed all the way the time of a place changes with every place that is set.
  const draggedKey = useRef<number | null>(null);
  // What waits until the viewpoint is saved.
  const afterSave = useRef<(() => void) | null>(null);
  useLayoutEffect(() => {
    if (behind.current === undefined) latest.current = current;
    chosenNow.current = viewpoint?.id ?? 0;
  });

  const showNow = () => {
    window.clearTimeout(behind.current);
    behind.current = undefined;
    shownAt.current = performance.now();
    setAhead(latest.current);
  };
  useEffect(() => () => window.clearTimeout(behind.current), []);
  const forget = useCallback(() => {
    window.clearTimeout(behind.current);
    behind.current = undefined;
    setAhead(null);
  }, []);

  /** The answer to one change says nothing of another that was begun after it: that one stays shown, and the next goes on from it. */
  const settled = (draft: ViewpointDraft) => {
    if (latest.current === draft) forget();
  };

  const keepProject = useCallback(
    (p: Project) => {
      queries.setQueryData<Project>(keys.project(project.id), p);
    },
    [queries, project.id],
  );
  const again = () => queries.invalidateQueries({ queryKey: keys.project(project.id) });
  const save = useMutation({
    mutationFn: ({ of, draft }: { of: Viewpoint; draft: ViewpointDraft }) =>
      changeViewpoint(queries, project.id, of, draft),
    onSuccess: async (_, { draft }) => {
      settled(draft);
      await again();
    },
    onError: (_, { draft }) => settled(draft),
    onSettled: () => {
      const next = afterSave.current;
      afterSave.current = null;
      next?.();
    },
  });
  const add = useMutation({
    mutationFn: (draft: ViewpointDraft) => api.addViewpoint(project.id, draft),
    onSuccess: async (v) => {
      forget();
      await again();
      setChosen(v.id);
    },
  });
  const remove = useMutation({
    mutationFn: (id: number) => api.removeViewpoint(project.id, id),
    onSuccess: async (_, id) => {
      forget();
      setChosen(project.viewpoints.find((v) => v.id !== id)?.id ?? 0);
      await again();
    },
  });
  // Whatever gives the whole project anew.
  const whole = useMutation({
    mutationFn: (ask: () => Promise<Project>) => ask(),
    onMutate: () => latest.current,
    onSuccess: (p, _, asked) => {
      settled(asked);
      keepProject(p);
    },
  });
  const settings = (part: SettingsPart) => whole.mutate(() => changeSettings(queries, project, part));

  const change = (part: Change, end: boolean) => {
    const { name, unlocked, opening, ride, path: led, ...pose } = part;
    const before = latest.current;
    let path = led === undefined ? before.path : led;
    // Who is led along a path leads it by moving.
    if (path && led === undefined && pose.position) {
      draggedKey.current ??= keyTime.current();
      path = withPlace(path, draggedKey.current, pose.position);
    }
    if (end) draggedKey.current = null;
    const next: ViewpointDraft = {
      name: name ?? before.name,
      unlocked: unlocked ?? before.unlocked,
      opening: opening === undefined ? before.opening : opening,
      ride: path ? null : ride === undefined ? before.ride : ride,
      path: ride ? null : path,
      pose: { ...before.pose, ...pose },
    };
    latest.current = next;
    setDragging(!end);
    const due = shownAt.current + PACE - performance.now();
    if (end || due <= 0) showNow();
    else behind.current ??= window.setTimeout(showNow, due);
    if (end && viewpoint) save.mutate({ of: viewpoint, draft: next });
  };

  const id = viewpoint?.id ?? 0;
  // Turning about moves nothing nearer: while that lasts the processor is the live picture's.
  const asked: Pose =
    dragging && viewpoint ? { ...viewpoint.pose, position: current.pose.position } : current.pose;
  const near = useLatest<[number, Pose, boolean, string], { of: number; found: ClearanceInfo }>(
    viewpoint ? [id, asked, dragging, JSON.stringify(project.settings)] : null,
    async ([v, pose, moving]) => ({ of: v, found: await api.clearance(project.id, v, pose, moving) }),
    dragging ? 300 : 150,
  );
  // What was found for another viewpoint says nothing of this one: its floor may be storeys away.
  const clearance = near.value?.of === id ? near.value.found : null;
  const floorY = clearance?.floor.floor_y ?? null;
  const above = floorY === null ? null : current.pose.position[1] - floorY;
  // The height that is kept while the viewpoint is moved over the ground.
  const kept = useRef<number | null>(null);
  useLayoutEffect(() => {
    if (!dragging && above !== null) kept.current = above;
  });

  /** Moves over the ground; at the end the floor there is found and the height above it kept. */
  const moveTo = (x: number, z: number, end: boolean) => {
    const mine = ++moves.current;
    const y = latest.current.pose.position[1];
    const height = kept.current;
    change({ position: [x, y, z] }, false);
    if (!end) return;
    const of = viewpoint;
    const moved = latest.current;
    const finish = (to: number) => {
      const position: Pose["position"] = [x, to, z];
      // Whoever chose another viewpoint while the floor was looked for has moved this one all the same, and not that one.
      if (of && chosenNow.current !== of.id)
        save.mutate({ of, draft: { ...moved, pose: { ...moved.pose, position } } });
      // Whoever has begun to move it again meanwhile ends that move; this one's end must not take its place.
      else if (moves.current === mine) change({ position }, true);
    };
    if (height === null) return finish(y);
    const asked = api.clearance(project.id, id, { ...latest.current.pose, position: [x, y + 0.3, z] });
    void beginning(`viewpoint ${id}`, asked)
      .then((c) => {
        const floor = c.floor.floor_y;
        // A step, a stair or a podium is followed; over the void the height stays.
        finish(floor !== null && Math.abs(floor + height - y) > 1e-4 ? floor + height : y);
      })
      .catch(() => finish(y));
  };

  // Moves are told by how far they go from where the hand has come to, not from what the page shows by then.
  const at = () => latest.current.pose.position;
  const moveBy = (dx: number, dz: number, end: boolean) => moveTo(at()[0] + dx, at()[2] + dz, end);
  const shiftBy = ([dx, dy, dz]: Pose["position"], end: boolean) => {
    const [x, y, z] = at();
    change({ position: [x + dx, y + dy, z + dz] }, end);
  };
  const turnBy = (by: number, end: boolean) =>
    change({ heading_deg: wrapHeading(latest.current.pose.heading_deg + by) }, end);

  const { findings, fresh } = usePreflight(project);

  return {
    viewpoint,
    current,
    dragging,
    clearance,
    floorY,
    above,
    findings: findings?.filter((f) => f.viewpoint === id) ?? [],
    fresh,
    change,
    moveTo,
    moveBy,
    shiftBy,
    turnBy,
    /** What was begun is left as it was. */
    release: () => {
      draggedKey.current = null;
      forget();
      setDragging(false);
    },
    choose: (to: number) => {
      draggedKey.current = null;
      forget();
      setDragging(false);
      setChosen(to);
    },
    add: add.mutate,
    remove: remove.mutate,
    whole: whole.mutate,
    settings,
    sayKeyTime,
    keyTimeNow: () => keyTime.current(),
    /** Does something once the change that is under way is saved. */
    afterSaving: (work: () => void) => {
      afterSave.current = work;
    },
    error: save.error ?? add.error ?? remove.error ?? whole.error ?? near.problem,
    busy: whole.isPending,
  };
}

export type Stand = ReturnType<typeof useStand>;
