import type { Kind } from "../parts/Mark";
import type { Project } from "../generated/Project";

export type StageName = "scene" | "stand" | "render" | "hand-over" | "look";

/** A stage of the job: its name, its question, and how it stands. */
interface Stage {
  path: StageName;
  name: string;
  question: string;
  state: (p: Project) => { kind: Kind; word: string };
}

const tilted = (p: Project) => p.viewpoints.some((v) => v.pose.pitch_deg !== 0 || v.pose.roll_deg !== 0);

export const stages: Stage[] = [
  {
    path: "scene",
    name: "Scene",
    question: "What is here?",
    state: (p) =>
      p.scene.notices.length > 0 ? { kind: "look", word: "has notes" } : { kind: "fine", word: "fine" },
  },
  {
    path: "stand",
    name: "Stand",
    question: "Where does the viewer stand?",
    state: (p) => (tilted(p) ? { kind: "look", word: "not level" } : { kind: "fine", word: "level" }),
  },
  {
    path: "render",
    name: "Render",
    question: "Make it.",
    state: (p) => {
      if (p.orders.some((o) => o.state === "failed")) return { kind: "stop", word: "one failed" };
      if (p.orders.some((o) => o.state === "running" || o.state === "queued"))
        return { kind: "busy", word: "at work" };
      return p.orders.some((o) => o.state === "done")
        ? { kind: "fine", word: "done" }
        : { kind: "none", word: "nothing yet" };
    },
  },
  {
    path: "hand-over",
    name: "Hand over",
    question: "Which file, for whom?",
    state: (p) => {
      if (p.packages.some((k) => k.checks.some((c) => !c.fine)))
        return { kind: "look", word: "look at this" };
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
