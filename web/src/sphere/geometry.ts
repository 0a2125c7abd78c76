/** What the overlays of the Horizon need; the pictures themselves are computed by the server. */

const RAD = Math.PI / 180;

/** A view of a part of the sphere, relative to the middle of the picture; degrees. */
export interface View {
  lon: number;
  lat: number;
  hfov: number;
}

type Vector = readonly [number, number, number];

/** Turns a direction up by `pitch`, then right by `heading`; radians. */
function turned([x, y, z]: Vector, heading: number, pitch: number): Vector {
  const [sp, cp, sh, ch] = [Math.sin(pitch), Math.cos(pitch), Math.sin(heading), Math.cos(heading)];
  const [y1, z1] = [y * cp - z * sp, y * sp + z * cp];
  return [x * ch - z1 * sh, y1, x * sh + z1 * ch];
}

/** Longitude and latitude of a direction, degrees. */
function lonLat([x, y, z]: Vector): [number, number] {
  return [Math.atan2(x, -z) / RAD, Math.atan2(y, Math.hypot(x, z)) / RAD];
}

/** How a viewpoint is turned, degrees. */
export interface Turn {
  heading_deg: number;
  pitch_deg: number;
  roll_deg: number;
}

/** Heading and pitch in the world of a place in a viewpoint's picture; degrees. */
export function worldOf(lon: number, lat: number, turn: Turn): [number, number] {
  const [cl, sl] = [Math.cos(lat * RAD), Math.sin(lat * RAD)];
  const [x, y, z] = [cl * Math.sin(lon * RAD), sl, -cl * Math.cos(lon * RAD)];
  const [c, s] = [Math.cos(turn.roll_deg * RAD), Math.sin(turn.roll_deg * RAD)];
  const upright: Vector = [x * c + y * s, y * c - x * s, z];
  const [heading, pitch] = lonLat(turned(upright, turn.heading_deg * RAD, turn.pitch_deg * RAD));
  return [((heading % 360) + 360) % 360, pitch];
}

/** Where a heading and pitch of the world lie in a viewpoint's picture: longitude and latitude, degrees. */
export function pictureOf(heading: number, pitch: number, turn: Turn): [number, number] {
  const [cp, sp] = [Math.cos(pitch * RAD), Math.sin(pitch * RAD)];
  const off = (heading - turn.heading_deg) * RAD;
  const ahead: Vector = [cp * Math.sin(off), sp, -cp * Math.cos(off)];
  const [x, y, z] = turned(ahead, 0, -turn.pitch_deg * RAD);
  const [c, s] = [Math.cos(turn.roll_deg * RAD), Math.sin(turn.roll_deg * RAD)];
  return lonLat([x * c - y * s, x * s + y * c, z]);
}

/** An SVG path through points of longitude and latitude, broken where it leaves one edge and enters the other. */
function pathOf(points: [number, number][]): string {
  let path = "";
  let before: number | undefined;
  for (const [lon, lat] of points) {
    const jump = before === undefined || Math.abs(lon - before) > 180;
    path += `${jump ? "M" : "L"}${(lon + 180).toFixed(2)} ${(90 - lat).toFixed(2)}`;
    before = lon;
  }
  return path;
}

/** The outline of what a viewer window of the given ratio shows. */
export function viewOutline(view: View, ratio: number): string {
  const half = Math.tan((view.hfov / 2) * RAD);
  const steps = 24;
  const points: [number, number][] = [];
  const corners: [number, number][] = [
    [-1, 1],
    [1, 1],
    [1, -1],
    [-1, -1],
    [-1, 1],
  ];
  corners.slice(1).forEach(([x1, y1], side) => {
    const [x0, y0] = corners[side] ?? [0, 0];
    for (let i = 0; i <= steps; i++) {
      const t = i / steps;
      const x = (x0 + (x1 - x0) * t) * half;
      const y = ((y0 + (y1 - y0) * t) * half) / ratio;
      points.push(lonLat(turned([x, y, -1], view.lon * RAD, view.lat * RAD)));
    }
  });
  return pathOf(points);
}

/** Where the level horizon of the world lies in the picture of a tilted viewpoint. */
export function horizonPath(pitchDeg: number, rollDeg: number): string {
  const [p, r] = [pitchDeg * RAD, rollDeg * RAD];
  const points: [number, number][] = [];
  for (let a = -180; a <= 180; a += 3) {
    const world: Vector = [Math.sin(a * RAD), 0, -Math.cos(a * RAD)];
    const [x, y, z] = turned(world, 0, -p);
    // The viewer's clockwise roll turns the world the other way.
    points.push(lonLat([x * Math.cos(r) - y * Math.sin(r), x * Math.sin(r) + y * Math.cos(r), z]));
  }
  return pathOf(points.sort((a, b) => a[0] - b[0]));
}
