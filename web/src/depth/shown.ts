import type { PairShown } from "../generated/PairShown";
import type { Rig } from "../generated/Rig";

/** What may be shown of two eyes on one screen; flicker changes between both, Lookouts show what each eye sees. */
export type Shown = PairShown | "flicker" | "lookouts" | "paper";

export const SHOWN: readonly (readonly [Shown, string])[] = [
  ["left", "Left eye"],
  ["right", "Right eye"],
  ["grey", "Anaglyph, grey"],
  ["half-colour", "Anaglyph, half colour"],
  ["full-colour", "Anaglyph, full colour"],
  ["least-squares", "Anaglyph, least squares"],
  ["difference", "Difference"],
  ["flicker", "Flicker"],
  ["lookouts", "Lookouts side by side"],
  ["paper", "Plan and section"],
];

/** What is on the screen, and what the file will be: the one is never taken for the other. */
export function shownWords(shown: Shown, rig: Rig): string {
  const name = SHOWN.find(([s]) => s === shown)?.[1] ?? "";
  const seen =
    shown === "lookouts"
      ? "two Lookouts"
      : shown === "paper"
        ? "plan and section"
        : name.startsWith("Anaglyph")
          ? "an anaglyph"
          : `the ${name.toLowerCase()}`;
  const file = rig.kind === "panoramic" ? "top-bottom, if nothing else is chosen" : "as it is packed";
  return `Shown as ${seen}; the file holds both eyes (handed over ${file}).`;
}
