/** What a path does over time, as curves with the band of what is comfortable. */

import type { PathInfo } from "../generated/PathInfo";
import { degrees, length, plain, wrapSigned } from "../parts/units";

export type CurveName = "speed" | "turning" | "sideways" | "nearest" | "floor" | "separation" | "convergence";

type Points = (readonly [number, number | null])[];

export interface Curve {
  name: CurveName;
  label: string;
  points: Points;
  /** The ends of its scale. */
  low: number;
  high: number;
  /** What is comfortable. */
  band: readonly [number, number] | null;
  /** The band in words. */
  comfort: string;
  at: (moment: number) => number | null;
  told: (value: number | null) => string;
  /** A number of the scale with its unit. */
  scale: (value: number) => string;
}

/** Slower than this is standing, metres a second. */
const STANDING = 0.05;

function valueAt(points: Points, moment: number): number | null {
  const after = points.findIndex(([t]) => t >= moment);
  const b = points[after < 0 ? points.length - 1 : after];
  const a = points[Math.max(0, (after < 0 ? points.length : after) - 1)];
  if (!a || !b || a[1] === null || b[1] === null) return b?.[1] ?? null;
  const share = b[0] > a[0] ? Math.min(1, Math.max(0, (moment - a[0]) / (b[0] - a[0]))) : 1;
  return a[1] + (b[1] - a[1]) * share;
}

const speed = (v: number) => `${plain(v, 2)} m/s`;
const turning = (v: number) => `${plain(v, 1)} °/s`;

/** The curves of a path; those of the eyes only where keys say them. */
export function curvesOf(info: PathInfo): Curve[] {
  const curve = (
    name: CurveName,
    label: string,
    points: Points,
    {
      least,
      band,
      comfort,
      words,
    }: {
      /** The scale goes at least so far. */
      least: number;
      band: readonly [number, number] | null;
      comfort: string;
      words: (v: number) => string;
    },
  ): Curve => {
    const values = points.flatMap(([, v]) => (v === null ? [] : [v]));
    const high = Math.max(least, ...values.map((v) => Math.abs(v) * 1.05));
    return {
      name,
      label,
      points,
      low: values.some((v) => v < 0) ? -high : 0,
      high,
      band,
      comfort,
      at: (moment) => valueAt(points, moment),
      told: (v) => (v === null ? "nothing there" : words(v)),
      scale: words,
    };
  };
  const { moments, near, walking_m_s: walking, still_deg_s: still, aside_deg: aside, free_m: free } = info;
  const curves = [
    curve(
      "speed",
      "Speed",
      // A jump from place to place is no speed.
      moments.map((m) => [m.time_s, m.speed_m_s > 100 ? null : m.speed_m_s]),
      {
        least: 1.5 * walking,
        band: [0, walking * 1.05],
        comfort: `up to ${speed(walking)}, walking`,
        words: speed,
      },
    ),
    curve(
      "turning",
      "Turning",
      moments.map((m) => [m.time_s, m.turning_deg_s]),
      { least: 10, band: [-still, still], comfort: "none", words: turning },
    ),
    curve(
      "sideways",
      "Travel aside of the look",
      moments.map((m) => [
        m.time_s,
        m.travel_deg === null || m.speed_m_s < STANDING
          ? null
          : Math.abs(wrapSigned(m.travel_deg - m.heading_deg)),
      ]),
      { least: 180, band: [0, aside], comfort: `up to ${aside}°`, words: (v) => degrees(v, 0) },
    ),
    curve(
      "nearest",
      "Nearest distance",
      near.map((n) => [n.time_s, n.nearest_m]),
      { least: 2 * free, band: [free, 1e9], comfort: `from ${length(free)} on`, words: length },
    ),
    curve(
      "floor",
      "Height above the floor",
      near.map((n) => [n.time_s, n.above_floor_m]),
      { least: 2, band: null, comfort: "", words: length },
    ),
  ];
  if (moments.some((m) => m.separation_m !== null)) {
    curves.push(
      curve(
        "separation",
        "Separation of the eyes",
        moments.map((m) => [m.time_s, m.separation_m]),
        { least: 0.07, band: null, comfort: "", words: (v) => `${plain(v * 1000, 1)} mm` },
      ),
    );
  }
  if (moments.some((m) => m.converge_m !== null)) {
    curves.push(
      curve(
        "convergence",
        "Convergence",
        moments.map((m) => [m.time_s, m.converge_m]),
        { least: 1, band: null, comfort: "", words: length },
      ),
    );
  }
  return curves;
}
