import type { Pass } from "../generated/Pass";

/** The passes by what they show. */
export const PASS_NAMES: readonly (readonly [Pass, string])[] = [
  ["alpha", "Alpha"],
  ["depth", "Depth"],
  ["normal", "Normals"],
  ["albedo", "Albedo"],
  ["direct", "Direct light"],
  ["indirect", "Indirect light"],
  ["raw-light", "Raw light"],
  ["emission", "Emission"],
  ["specular", "Specular"],
  ["ambient-occlusion", "Ambient occlusion"],
  ["roughness", "Roughness"],
  ["object-mask", "Object mask"],
  ["noise", "Noise"],
  ["halves", "Halves of the samples"],
];

/** The name of a pass; what denoising took comes with denoising and is no choice. */
export const passName = (pass: Pass): string =>
  pass === "taken-out" ? "What denoising took" : (PASS_NAMES.find(([p]) => p === pass)?.[1] ?? pass);

/** The bands in which distances are shown, near to far: where each begins, metres, and its colour. */
export const DEPTH_BANDS: readonly (readonly [number, string])[] = [
  [0, "#7a2c1e"],
  [0.5, "#b0602c"],
  [1, "#d49c54"],
  [2, "#eed69e"],
  [4, "#c4d0be"],
  [8, "#8aaab0"],
  [16, "#567a94"],
  [32, "#304868"],
];
