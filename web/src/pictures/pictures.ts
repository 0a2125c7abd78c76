import type { BroughtPicture } from "../generated/BroughtPicture";

/** The faces of a cube in our order. */
export const FACES = ["left", "front", "right", "back", "up", "down"] as const;

/** What may be done with a picture. */
export const TOOLS = ["convert", "eyes", "seams", "diagnosis", "balls"] as const;
export type Tool = (typeof TOOLS)[number];
export const TOOL_NAMES: Record<Tool, string> = {
  convert: "Convert",
  eyes: "Two eyes",
  seams: "Seams",
  diagnosis: "Diagnosis",
  balls: "Light test on balls",
};

export const FORMATS: readonly (readonly [string, string])[] = [
  ["exr", "OpenEXR, all light"],
  ["png", "PNG, without loss"],
  ["jpg", "JPEG, small"],
  ["hdr", "Radiance HDR, all light"],
];

/** The format that keeps what a picture holds. */
export const keeping = (p: BroughtPicture): string =>
  p.depth.includes("float") ? "exr" : p.file.endsWith(".jpg") ? "jpg" : "png";

export const isFaces = (p: BroughtPicture): boolean => p.shape?.startsWith("cube-faces") ?? false;

/** The picture unrolled to a sphere; asked for anew when its shape changes. */
export const sphereOf = (p: BroughtPicture): string =>
  `/api/pictures/${p.id}/sphere.jpg?${encodeURIComponent(`${p.shape ?? ""} ${p.packing ?? ""}`)}`;

/** The picture as it is. */
export const flatOf = (p: BroughtPicture): string =>
  isFaces(p) ? sphereOf(p) : `/api/pictures/${p.id}/flat.jpg`;
