import type { Kind } from "../parts/Mark";
import type { Project } from "../generated/Project";

export type StageName = "scene" | "stand" | "depth" | "render" | "finish" | "hand-over" | "look";

/** A stage of the job: its name, its question, and how it stands. */
interface Stage {
  path: StageName;
  name: string;
  question: string;
  /** Left out of the way until it is built. */
  planned?: boolean;
  state: (p: Project) => { kind: Kind; word: string };
}

const tilted = (p: Project) => p.viewpoints.some((v) => v.pose.pitch_deg !== 0 || v.pose.roll_deg !== 0);

export const stages: Stage[] = [
  {
    path: "scene",
    name: "Scene",
    question: "What is here?",
    state: (p) =>
      p.scene.left_out.length > 0
        ? { kind: "look", word: "parts left out" }
        : p.scene.notices.length > 0
          ? { kind: "look", word: "has notes" }
          : { kind: "fine", word: "complete" },
  },
  {
    path: "stand",
    name: "Stand",
    question: "Where to stand?",
    state: (p) => (tilted(p) ? { kind: "look", word: "not level" } : { kind: "fine", word: "level" }),
  },
  {
    path: "depth",
    name: "Depth",
    question: "How deep is it?",
    state: (p) => {
      const pairs = p.viewpoints.filter((v) => v.rig.kind !== "off").length;
      return pairs > 0
        ? { kind: "fine", word: pairs === 1 ? "one pair" : `${pairs} pairs` }
        : { kind: "none", word: "one eye" };
    },
  },
  {
    path: "render",
    name: "Render",
    question: "Make it.",
    state: (p) => {
      if (p.orders.some((o) => o.state === "failed")) return { kind: "stop", word: "one failed" };
      if (p.orders.some((o) => o.state === "running" || o.state === "waiting"))
        return { kind: "busy", word: "at work" };
      return p.orders.some((o) => o.state === "done")
        ? { kind: "fine", word: "done" }
        : { kind: "none", word: "nothing yet" };
    },
  },
  {
    path: "finish",
    name: "Finish",
    question: "Make it right.",
    planned: true,
    state: () => ({ kind: "none", word: "untouched" }),
  },
  {
    path: "hand-over",
    name: "Hand over",
    question: "Which file?",
    state: (p) => {
      if (p.packages.some((k) => k.checks.some((c) => !c.fine))) return { kind: "look", word: "check this" };
      return p.packages.length > 0
        ? { kind: "fine", word: "checked" }
        : { kind: "none", word: "nothing yet" };
    },
  },
  {
    path: "look",
    name: "Look",
    question: "Is it right?",
    state: (p) =>
      p.packages.length > 0 ? { kind: "fine", word: "ready" } : { kind: "none", word: "nothing yet" },
  },
];

/** The stages on the way. All seven with `localStorage["owl-dome-all-stages"]`, to see that the way has room for them. */
export const shownStages = (): Stage[] =>
  localStorage.getItem("owl-dome-all-stages") === null ? stages.filter((s) => !s.planned) : stages;
