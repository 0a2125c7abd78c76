import type { JobInfo } from "../generated/JobInfo";
import type { JobState } from "../generated/JobState";
import type { Kind } from "../parts/Mark";

/** How a state is shown, and its word. */
export const states: Record<JobState, { kind: Kind; word: string }> = {
  held: { kind: "look", word: "on hold" },
  waiting: { kind: "none", word: "waiting" },
  running: { kind: "busy", word: "running" },
  stopped: { kind: "look", word: "stopped" },
  done: { kind: "fine", word: "done" },
  failed: { kind: "stop", word: "failed" },
};

/** The word for the state of a render. */
export const renderWord = (state: JobState): string =>
  state === "running" ? "rendering" : states[state].word;

/** Whether it may still be stopped. */
export const isOpen = (state: JobState): boolean =>
  state === "held" || state === "waiting" || state === "running";

/** Whether two jobs have their turns after each other: what goes elsewhere, to a farm or to another page, does not wait for it. */
export const sameLane = (a: JobInfo, b: JobInfo) =>
  (a.kind === "order") === (b.kind === "order") && a.on_farm === b.on_farm;

/** How many jobs of the same kind have their turn before this one. */
export function ahead(jobs: readonly JobInfo[], id: number): number {
  const job = jobs.find((j) => j.id === id);
  if (job?.state !== "waiting") return 0;
  const same = jobs.filter((j) => sameLane(j, job));
  return same.slice(0, same.indexOf(job)).filter((j) => j.state !== "held" && isOpen(j.state)).length;
}
