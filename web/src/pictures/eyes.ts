import type { BroughtPicture } from "../generated/BroughtPicture";

/** How two eyes may lie in one picture. */
export const LYING: readonly (readonly [string, string])[] = [
  ["top-bottom", "one above the other, left on top"],
  ["top-bottom:right-first", "one above the other, right on top"],
  ["side-by-side", "side by side, left at the left"],
  ["side-by-side:right-first", "side by side, right at the left"],
  ["top-bottom:squeezed", "one above the other, squeezed"],
  ["top-bottom:squeezed:right-first", "one above the other, squeezed, right on top"],
  ["side-by-side:squeezed", "side by side, squeezed"],
  ["side-by-side:squeezed:right-first", "side by side, squeezed, right at the left"],
];

/** Views of one OpenEXR, where a picture has them or is to get them. */
export const VIEWS = ["views", "as views of one OpenEXR"] as const;

export const lyingName = (packing: string | null): string =>
  packing === null
    ? "one eye"
    : packing === "views"
      ? VIEWS[1]
      : (LYING.find(([p]) => p === packing)?.[1] ?? packing);

/** What a picture's eyes look like on one screen; asked for anew when it is said to lie otherwise. */
export const shownOf = (p: BroughtPicture, show: string): string =>
  `/api/pictures/${p.id}/shown.jpg?show=${show}&v=${encodeURIComponent(`${p.packing} ${p.shape}`)}`;
