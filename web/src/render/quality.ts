/** When a picture is good enough. */
export interface Quality {
  /** Until the noise is low enough, or the same number of samples everywhere. */
  how: "noise" | "samples";
  /** Noise at most, percent. */
  noise: number;
  /** Samples at most, per pixel. */
  most: number;
  /** Samples everywhere, per pixel. */
  samples: number;
}

/** As an order starts. */
export const QUALITY: Quality = { how: "noise", noise: 4, most: 2048, samples: 64 };

/** What an order may have besides. */
export interface More {
  clay: boolean;
  /** Whether noise is taken out; nothing chosen is as this machine can. */
  denoise: boolean | null;
  /** Whether no sample adds more light than a bound. */
  calm: boolean;
  lens: boolean;
  fstop: number;
  /** Where it is sharp, metres. */
  focus: number;
}

/** Whether pictures of a shape can be denoised: not where edges meet inside the picture. The server refuses the others too. */
export const canBeDenoised = (shape: string): boolean => !/^(cube|octahedral)/.test(shape);

/** As an order starts. */
export const MORE: More = { clay: false, denoise: null, calm: false, lens: false, fstop: 2.8, focus: 3 };
