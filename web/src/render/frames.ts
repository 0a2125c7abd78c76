import type { FrameFormat } from "../generated/FrameFormat";
import type { FrameRequest } from "../generated/FrameRequest";
import type { FramesInfo } from "../generated/FramesInfo";
import type { Order } from "../generated/Order";
import type { Project } from "../generated/Project";
import { count, duration } from "../parts/units";

/** What frames are written as. */
export const FORMATS: readonly (readonly [FrameFormat, string])[] = [
  ["exr", "EXR, linear"],
  ["png16", "PNG, 16 bits"],
  ["png", "PNG, 8 bits"],
  ["jpeg", "JPEG"],
];

/** Usual rates and what they are for. */
export const RATES: readonly (readonly [string, string])[] = [
  ["24", "24, film"],
  ["23.976", "23.976, film on video"],
  ["25", "25, television"],
  ["29.97", "29.97, television"],
  ["30", "30, web and headsets"],
  ["50", "50"],
  ["59.94", "59.94"],
  ["60", "60, headsets"],
  ["72", "72, headsets"],
  ["90", "90, headsets"],
];

/** Frames a second of a rate by its name. */
export const framesPerSecond = (rate: string): number => {
  const told = Number(rate);
  return Number.isInteger(told) ? told : (Math.round(told) * 1000) / 1001;
};

/** How long something moves before a viewpoint, seconds: its path, else the scene. */
export function motionOf(project: Project, viewpoint: number): number {
  const path = project.viewpoints.find((v) => v.id === viewpoint)?.path;
  return Math.max(path?.keys.at(-1)?.time_s ?? 0, path ? 0 : project.scene.motion_s);
}

/** The last frame of a motion: the one that shows its end. */
export const lastOf = (motion: number, rate: string): number => Math.round(motion * framesPerSecond(rate));

/** Frames as they are asked for at first. */
export const usualFrames = (motion: number): FrameRequest => ({
  first: 0,
  last: lastOf(motion, "30"),
  step: 1,
  rate: "30",
  format: "png",
  name: "{project}/{viewpoint} {order}/{frame:05}",
  first_each: 10,
  test_first: false,
  shutter_deg: 0,
  moments: 8,
});

/** Name of a picture in the folder for outputs. */
export const STILL_NAME = "{project}/{viewpoint}/{setup} {shape} {width} {order}";

const HINTS: Record<string, string> = {
  viewpoint: "name of the viewpoint",
  project: "name of the project",
  setup: "name of the light setup",
  order: "number of the order",
  "frame:05": "number of the frame, with five digits",
  eye: "left or right",
  face: "front, right ...",
  pass: "name of the pass",
  width: "width in pixels",
  shape: "name of the shape",
};

const hint = (words: string[]) => words.map((word) => `{${word}}: ${HINTS[word]}`).join("\n");
/** The words that the names of frames may have. */
export const NAME_HINT = hint(Object.keys(HINTS));
/** Those of one picture. */
export const STILL_HINT = hint(["project", "viewpoint", "setup", "shape", "width", "order"]);

/** Places in a strip of small pictures. */
const PLACES = 36;

/** The strip of an order's frames: for each place the frame that belongs there and the finished one that is nearest to it. */
export function placesOf(order: Order): { frame: number; there: number | null }[] {
  const { frames, spec } = order;
  if (!frames || !spec.frames) return [];
  const { first, step } = spec.frames.asked;
  const places = Math.min(PLACES, frames.total);
  const every = places > 1 ? (frames.total - 1) / (places - 1) : 1;
  return Array.from({ length: places }, (_, i) => {
    const frame = first + step * Math.round(i * every);
    let there: number | null = null;
    for (const n of frames.shown)
      if (
        Math.abs(n - frame) <= (step * every) / 2 &&
        Math.abs(n - frame) < Math.abs((there ?? Infinity) - frame)
      )
        there = n;
    return { frame, there };
  });
}

/** How far the frames are, in words. */
export function framesTold(frames: FramesInfo): string {
  const left = frames.total - frames.done;
  const each = frames.frame_s === null ? "" : `, ${duration(frames.frame_s)} each`;
  return left === 0
    ? `${count(frames.total)} ${frames.total === 1 ? "frame" : "frames"}${each}`
    : `${count(frames.done)} of ${count(frames.total)} frames${frames.current === null ? "" : `, frame ${frames.current} under way`}${each}`;
}
