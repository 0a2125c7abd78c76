/** Paths of a viewpoint: changing keys, and what is told of them between two answers of the server. */

import type { KeyEyes } from "../generated/KeyEyes";
import type { PathInfo } from "../generated/PathInfo";
import type { PathKey } from "../generated/PathKey";
import type { PathMoment } from "../generated/PathMoment";
import type { Pose } from "../generated/Pose";
import type { ViewpointPath } from "../generated/ViewpointPath";
import { wrapHeading, wrapSigned } from "../parts/units";

type Place = Pose["position"];

/** Keys nearer in time than this are the same one, seconds. */
const SAME_S = 0.02;
/** A new path goes at an easy pace, metres a second, at most so far. */
const PACE_M_S = 1;
const FIRST_WAY_M = 3;
/** Room is looked for so far to both sides of straight ahead, degrees. */
const BODY_DEG = 14;
/** So much room is enough for a first path, metres. */
const ENOUGH_M = 1.5;
/** What stays free ahead of a new path's end, metres. */
const SPARE_M = 0.8;

const key = (time_s: number, position: Place): PathKey => ({
  time_s: Number(time_s.toFixed(3)),
  position,
  on: "smooth",
  heading_deg: null,
  turns: 0,
  opening: null,
  separation_m: null,
  converge_m: null,
});

const sorted = (keys: PathKey[]): PathKey[] => keys.toSorted((a, b) => a.time_s - b.time_s);

/** How far one may go in a heading, metres; a body needs some room to both sides. */
function room(ring: readonly number[], heading: number): number {
  const each = 360 / Math.max(1, ring.length);
  return Math.min(Infinity, ...ring.filter((_, i) => Math.abs(wrapSigned(i * each - heading)) < BODY_DEG));
}

/** A first path: from here straight ahead if there is room, else to where there is most. `ring` is the free way by heading. */
export function startPath(
  { position: [x, y, z], heading_deg }: Pose,
  ring: readonly number[],
): ViewpointPath {
  const ways = [0, ...Array.from({ length: 23 }, (_, i) => 15 * (i + 1))].map((by) => heading_deg + by);
  const free = ways.map((way) => room(ring, way) - SPARE_M);
  const best = (free[0] ?? 0) >= ENOUGH_M ? 0 : free.indexOf(Math.max(...free));
  const far = Math.max(0.5, Math.min(FIRST_WAY_M, free[best] ?? 0));
  const turn = ((ways[best] ?? heading_deg) * Math.PI) / 180;
  const end: Place = [x + far * Math.sin(turn), y, z - far * Math.cos(turn)];
  return {
    keys: [key(0, [x, y, z]), key(Math.max(1, far / PACE_M_S), end)],
    ease_in_s: 0.5,
    ease_out_s: 0.5,
    constant_speed: true,
    above_floor_m: null,
  };
}

/** The path through a place at a time of its keys: the key that is there is moved, or a new one comes in. */
export function withPlace(path: ViewpointPath, time_s: number, position: Place): ViewpointPath {
  const at = path.keys.findIndex((k) => Math.abs(k.time_s - time_s) < SAME_S);
  if (at >= 0) return withKey(path, at, { position });
  return { ...path, keys: sorted([...path.keys, key(time_s, position)]) };
}

/** One key changed. */
export function withKey(path: ViewpointPath, at: number, part: Partial<PathKey>): ViewpointPath {
  return { ...path, keys: sorted(path.keys.map((k, i) => (i === at ? { ...k, ...part } : k))) };
}

export const withoutKey = (path: ViewpointPath, at: number): ViewpointPath => ({
  ...path,
  keys: path.keys.filter((_, i) => i !== at),
});

/** Looks where it travels: every key gets the heading in which it goes on. */
export function lookingAhead(path: ViewpointPath, travel: readonly number[]): ViewpointPath {
  const heading = (i: number) => Number(wrapHeading(travel[i] ?? 0).toFixed(1));
  return { ...path, keys: path.keys.map((k, i) => ({ ...k, heading_deg: heading(i), turns: 0 })) };
}

/** The eyes at each key as far apart as is comfortable there. */
export const withSeparations = (path: ViewpointPath, metres: readonly number[] | null): ViewpointPath => ({
  ...path,
  keys: path.keys.map((k, i) => ({
    ...k,
    separation_m: metres === null ? null : Number((metres[i] ?? 0.063).toPrecision(4)),
  })),
});

/** The eyes at each key as far apart, and meeting as far away, as fits what is seen there. */
export const withEyes = (path: ViewpointPath, eyes: readonly KeyEyes[]): ViewpointPath => ({
  ...path,
  keys: path.keys.map((k, i) => {
    const { separation_m, convergence_m } = eyes[i] ?? { separation_m: k.separation_m, convergence_m: null };
    const round = (v: number | null) => (v === null ? null : Number(v.toPrecision(6)));
    return { ...k, separation_m: round(separation_m), converge_m: round(convergence_m) ?? k.converge_m };
  }),
});

/** Leaves headings to the viewpoint. */
export const withoutHeadings = (path: ViewpointPath): ViewpointPath => ({
  ...path,
  keys: path.keys.map((k) => ({ ...k, heading_deg: null, turns: 0 })),
});

/** What is told of a moment, mixed from the two beside it. */
export function momentAt({ moments }: PathInfo, time: number): PathMoment | null {
  const after = moments.findIndex((m) => m.time_s >= time);
  const b = moments[after < 0 ? moments.length - 1 : after];
  const a = moments[Math.max(0, (after < 0 ? moments.length : after) - 1)];
  if (!a || !b) return null;
  const share = b.time_s > a.time_s ? Math.min(1, Math.max(0, (time - a.time_s) / (b.time_s - a.time_s))) : 1;
  const mix = (from: number, to: number) => from + (to - from) * share;
  return {
    ...b,
    time_s: time,
    key_time_s: mix(a.key_time_s, b.key_time_s),
    position: [0, 1, 2].map((i) => mix(a.position[i] ?? 0, b.position[i] ?? 0)) as Place,
    heading_deg: wrapHeading(a.heading_deg + wrapSigned(b.heading_deg - a.heading_deg) * share),
    speed_m_s: mix(a.speed_m_s, b.speed_m_s),
    turning_deg_s: mix(a.turning_deg_s, b.turning_deg_s),
  };
}

/** The time of the keys at the place of the line that is nearest to another one. */
export function keyTimeNear({ moments }: PathInfo, to: (place: Place) => number): number {
  let best = { far: Infinity, time: 0 };
  for (const m of moments) {
    const far = to(m.position);
    if (far < best.far) best = { far, time: m.key_time_s };
  }
  return best.time;
}
