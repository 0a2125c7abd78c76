/** What a picture is for, and the shapes that serve it. */
export interface ShapeOffer {
  /** Its name on the command line and in orders. */
  shape: string;
  name: string;
  about: string;
  /** Degrees that its width spans: a width keeps its detail when the shape changes. */
  across: number;
  /** Pixels that its width must be a multiple of. */
  step: number;
}

const offer = (shape: string, name: string, across: number, about: string, step = 1): ShapeOffer => ({
  shape,
  name,
  across,
  about,
  step,
});

export const SHAPE_GROUPS: [string, ShapeOffer[]][] = [
  [
    "For viewers and headsets",
    [
      offer("equirect", "Full sphere", 360, "unrolled, 2:1; what hosts and viewers take", 2),
      offer("equirect:180x180", "Front half", 180, "the 180 degrees ahead"),
      offer("eac-3x2", "Equi-angular cube", 270, "even detail, for players that ask for it", 3),
      offer("cylinder:360x90", "Cylinder", 360, "all round, 90 degrees high, upright lines straight"),
    ],
  ],
  [
    "For domes",
    [
      offer("fisheye:180", "Dome master", 180, "equidistant fisheye; pitch the viewpoint up to the zenith"),
      offer("fisheye-equisolid:180", "Equal-area fisheye", 180, "areas keep their sizes"),
    ],
  ],
  [
    "For light in other scenes",
    [
      offer("angular-map", "Light probe", 360, "angular map, ahead in the middle"),
      offer("mirror-ball", "Mirror ball", 360, "as a mirror ball would be photographed"),
      offer("octahedral", "Octahedral map", 180, "zenith in the middle, for shaders"),
    ],
  ],
  [
    "For other programs",
    [
      offer("cube-cross", "Cube, cross", 360, "four faces across, up and down on the front", 4),
      offer("cube-cross-vertical", "Cube, standing cross", 270, "three faces across, back below", 3),
      offer("cube-6x1", "Cube, row", 540, "left front right back up down", 6),
      offer("cube-1x6", "Cube, stack", 90, "the same, downwards"),
      offer("cube-faces", "Cube, six files", 90, "one file for each face"),
      offer("cube-3x2", "Cube, 3 by 2", 270, "left front right over back up down", 3),
    ],
  ],
  [
    "To compare and to play",
    [
      offer("perspective:90x60", "Ordinary camera", 90, "90 by 60 degrees"),
      offer("fisheye-stereographic:300", "Little planet", 300, "stereographic; pitch the viewpoint down"),
    ],
  ],
];

export const SHAPES: ShapeOffer[] = SHAPE_GROUPS.flatMap(([, offers]) => offers);

/** What a shape is called; one that is not offered keeps its own name. */
export const shapeName = (shape: string): string => SHAPES.find((s) => s.shape === shape)?.name ?? shape;

/** The width in another shape that shows the same detail. */
export function sameDetail(width: number, from: ShapeOffer, to: ShapeOffer): number {
  const exact = (width * to.across) / from.across / to.step;
  return Math.max(1, Math.round(exact)) * to.step;
}
