/** Paths, grids and bars of plan and section. World coordinates are metres; a section's height runs up. */

import type { Plan } from "../generated/Plan";
import { FOOT, unitSystem } from "../parts/units";

/** Where the middle of a drawing is and how large a metre is shown. */
export interface Paper {
  x: number;
  y: number;
  /** Pixels per metre. */
  scale: number;
}

/** A round number at least as large as `least`: 1, 2 or 5 of a power of ten. */
function round(least: number): number {
  const power = 10 ** Math.floor(Math.log10(least));
  return ([1, 2, 5].find((k) => k * power >= least * 0.999) ?? 10) * power;
}

/** A round length in the chosen units that is at least so many pixels long; metres. */
export function roundLength(paper: Paper, pixels: number): number {
  const one = unitSystem() === "imperial" ? FOOT : 1;
  return round(pixels / paper.scale / one) * one;
}

function chain(points: number[], closed: boolean, up: boolean): string {
  const sign = up ? -1 : 1;
  let path = "";
  for (let i = 0; i + 1 < points.length; i += 2) {
    path += `${i === 0 ? "M" : "L"}${points[i]} ${sign * (points[i + 1] ?? 0)}`;
  }
  return closed ? `${path}Z` : path;
}

/** The filled solids of a cut, one path; `up` turns the second axis over. */
export const solidsPath = (plan: Plan, up: boolean): string =>
  plan.solids.map((rings) => rings.map((r) => chain(r, true, up)).join("")).join("");

/** The lines of a cut that enclose no solid, one path. */
export const linesPath = (plan: Plan, up: boolean): string =>
  plan.lines.map((l) => chain(l.points, l.closed, up)).join("");

/** Points of all outlines. */
export const pointCount = (plan: Plan): number =>
  plan.solids.flat().reduce((n, r) => n + r.length / 2, 0) +
  plan.lines.reduce((n, l) => n + l.points.length / 2, 0);

/** A wedge of a radius that looks up, `half` degrees to both sides. */
export function wedgePath(radius: number, half: number): string {
  const at = (sign: number) => {
    const a = (sign * half * Math.PI) / 180;
    return `${radius * Math.sin(a)} ${-radius * Math.cos(a)}`;
  };
  return `M0 0L${at(-1)}A${radius} ${radius} 0 0 1 ${at(1)}Z`;
}

/** The way from a place in a heading over the ground: x and z. */
export const along = (x: number, z: number, heading: number, far: number): [number, number] => {
  const a = (heading * Math.PI) / 180;
  return [x + far * Math.sin(a), z - far * Math.cos(a)];
};

/** The heading from one place to another, degrees. */
export const headingTo = (x0: number, z0: number, x1: number, z1: number): number =>
  ((Math.atan2(x1 - x0, z0 - z1) * 180) / Math.PI + 360) % 360;

/** The clearance ring as a closed path round a place; gaps of one heading only are no way out. */
export function ringPath(x: number, z: number, ring: number[]): string {
  const n = ring.length;
  return `${ring
    .map((free, i) => {
      const r = Math.min(free, Math.max(ring[(i + n - 1) % n] ?? free, ring[(i + 1) % n] ?? free));
      const [px, pz] = along(x, z, (i * 360) / n, r);
      return `${i === 0 ? "M" : "L"}${px.toFixed(3)} ${pz.toFixed(3)}`;
    })
    .join("")}Z`;
}
