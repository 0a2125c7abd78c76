/** What is beyond comfort in which frames. */

import type { DepthFrame } from "../generated/DepthFrame";
import type { OffenderInfo } from "../generated/OffenderInfo";

/** A thing that is beyond comfort, or cut off by the frame, in some frames. */
export interface Offence {
  object: string;
  how: string;
  /** The frames, rising. */
  frames: number[];
  /** Where it is worst. */
  worst: DepthFrame;
  distance_m: number;
  px: number | null;
  degrees: number | null;
  /** How to look at it. */
  offender: OffenderInfo | null;
}

export const HOW = { near: "too near", front: "too far in front", back: "too far behind" } as const;

/** All of them, those that are beyond for longest first. */
export function offencesOf(frames: readonly DepthFrame[]): Offence[] {
  const found = new Map<string, Offence>();
  const add = (frame: DepthFrame, one: Omit<Offence, "frames" | "worst">) => {
    const name = `${one.how} ${one.object}`;
    const before = found.get(name);
    const numbers = [...(before?.frames ?? []), frame.frame];
    const amount = (o: Omit<Offence, "frames" | "worst">) => Math.abs(o.px ?? o.degrees ?? 0);
    if (before && amount(before) >= amount(one)) before.frames = numbers;
    else found.set(name, { ...one, frames: numbers, worst: frame });
  };
  for (const frame of frames) {
    for (const o of frame.offenders) add(frame, { ...o, how: HOW[o.beyond], offender: o });
    // Both edges may cut the same thing: one line tells it.
    const cut = new Map(frame.violations.map((v) => [v.object, v]));
    for (const v of cut.values())
      add(frame, { ...v, how: `cut off, ${v.edge} edge`, degrees: null, offender: null });
  }
  return [...found.values()].toSorted((a, b) => b.frames.length - a.frames.length);
}

/** Frames as ranges: "3-9, 12". */
export function rangesOf(frames: readonly number[]): string {
  const ranges: [number, number][] = [];
  for (const f of frames) {
    const now = ranges.at(-1);
    if (now && f <= now[1] + 1) now[1] = f;
    else ranges.push([f, f]);
  }
  const told = ranges.map(([a, b]) => (a === b ? `${a}` : `${a}–${b}`));
  return told.length > 4 ? `${told.slice(0, 3).join(", ")} … ${told.at(-1)}` : told.join(", ");
}
