/** Lines over a frame that help to place things. */
export type Guide = "none" | "thirds" | "centre" | "safe" | "2.39" | "1.85" | "16:9" | "4:3" | "1:1";

export const GUIDES: readonly (readonly [Guide, string])[] = [
  ["none", "none"],
  ["thirds", "thirds"],
  ["centre", "centre"],
  ["safe", "safe areas, 93 % and 90 %"],
  ["2.39", "mask to 2.39:1"],
  ["1.85", "mask to 1.85:1"],
  ["16:9", "mask to 16:9"],
  ["4:3", "mask to 4:3"],
  ["1:1", "mask to 1:1"],
];

/** Ratios that are masked to. */
export const MASKS: Partial<Record<Guide, number>> = {
  "2.39": 2.39,
  "1.85": 1.85,
  "16:9": 16 / 9,
  "4:3": 4 / 3,
  "1:1": 1,
};
