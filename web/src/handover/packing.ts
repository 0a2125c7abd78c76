/** How two eyes lie in a file. */
export interface Packing {
  arrangement: "top-bottom" | "side-by-side" | "two-files" | "mono";
  squeezed: boolean;
  rightFirst: boolean;
}

/** As a package starts. */
export const PACKING: Packing = { arrangement: "top-bottom", squeezed: false, rightFirst: false };

export const isPacked = (p: Packing): boolean =>
  p.arrangement === "top-bottom" || p.arrangement === "side-by-side";

/** Its name, as commands and files have it. */
export const packingName = (p: Packing): string =>
  p.arrangement +
  (isPacked(p) && p.squeezed ? ":squeezed" : "") +
  (isPacked(p) && p.rightFirst ? ":right-first" : "");
