/** Lines over a frame that help to place things. */
export type Guide = "none" | "thirds" | "centre" | "safe" | "wide";

export const GUIDES: readonly (readonly [Guide, string])[] = [
  ["none", "none"],
  ["thirds", "thirds"],
  ["centre", "centre"],
  ["safe", "safe areas, 93 % and 90 %"],
  ["wide", "mask to 2.39:1"],
];
