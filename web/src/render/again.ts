import type { Order } from "../generated/Order";
import { MORE, QUALITY } from "./quality";

/** An order that the form begins with, to be ordered once more or instead. */
export interface Again {
  order: Order;
  /** Whether the new one takes its turn and it goes. */
  instead: boolean;
}

/** What the form begins with: as an order says, or as it is offered. */
export function begun(order: Order | undefined) {
  const spec = order?.spec;
  const noise = spec?.noise_percent ?? null;
  return {
    viewpoint: spec?.viewpoint_number ?? null,
    setup: spec?.settings.setup.number ?? null,
    eyes: spec && !spec.rig ? ("one" as const) : ("both" as const),
    shape: spec?.shape ?? "equirect",
    width: spec?.width ?? 2048,
    purpose: spec?.draft ? ("draft" as const) : ("final" as const),
    quality: !spec
      ? QUALITY
      : noise === null
        ? { ...QUALITY, how: "samples" as const, samples: spec.samples }
        : { ...QUALITY, noise, most: spec.samples },
    // What denoising took is always told, and need not be asked for.
    passes: new Set(spec?.passes.filter((p) => p !== "taken-out")),
    frames: spec?.frames?.asked ?? null,
    out: spec?.out?.name ?? null,
    more: !spec
      ? MORE
      : {
          clay: spec.clay,
          denoise: spec.denoise,
          calm: spec.clamp !== null,
          lens: spec.lens !== null,
          fstop: spec.lens?.fstop ?? MORE.fstop,
          focus: spec.lens?.focus_m ?? MORE.focus,
        },
    occlusion: spec?.occlusion_m ?? 1,
    by: spec?.here ? ("here" as const) : ("farm" as const),
    held: order?.state === "held",
  };
}
