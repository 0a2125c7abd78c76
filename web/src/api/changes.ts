import { type Query, type QueryClient, type QueryKey, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import type { Event } from "../generated/Event";
import type { JobInfo } from "../generated/JobInfo";
import type { Order } from "../generated/Order";
import type { Project } from "../generated/Project";
import { api, Refusal } from "./client";
import { follow } from "./line";
import { tellPresence } from "./presence";

/** The query keys of everything that is kept. */
export const keys = {
  projects: ["projects"] as const,
  pictures: ["pictures"] as const,
  project: (id: number) => ["project", id] as const,
  jobs: ["jobs"] as const,
  machine: ["machine"] as const,
};

type JobEvent = Extract<Event, { kind: "job" }>;

/** An order after what was told of its job. */
function moved(order: Order, { job, strips }: JobEvent): Order {
  const { state, progress, remaining_s, spent_s, problem } = job;
  return {
    ...order,
    state,
    progress,
    remaining_s,
    spent_s,
    problem,
    frames: job.frames ?? order.frames,
    noise_percent: job.noise_percent ?? order.noise_percent,
    mean_samples: job.mean_samples ?? order.mean_samples,
    under_way: job.under_way,
    strips: [...order.strips, ...strips.filter(([top]) => !order.strips.some(([known]) => known === top))],
  };
}

const withOrder = (project: Project, event: JobEvent): Project => ({
  ...project,
  orders: project.orders.map((o) => (o.id === event.job.makes ? moved(o, event) : o)),
});

/** Jobs that are not done, with what was told of one of them. */
function withJob(jobs: JobInfo[], job: JobInfo): JobInfo[] {
  if (job.state === "done") return jobs.filter((j) => j.id !== job.id);
  const known = jobs.some((j) => j.id === job.id);
  return known ? jobs.map((j) => (j.id === job.id ? job : j)) : [...jobs, job];
}

/** Hears of jobs, and of a line that was opened again. */
const heard = new EventTarget();

/** Waits until something is heard of jobs, or for a while. */
const something = () =>
  new Promise<void>((resolve) => {
    const done = () => {
      clearTimeout(timer);
      heard.removeEventListener("job", done);
      resolve();
    };
    const timer = setTimeout(done, 5000);
    heard.addEventListener("job", done);
  });

/** Waits until a job has ended. One that failed is a refusal with its sentence; null if it was stopped or removed. */
export async function ended(job: JobInfo): Promise<JobInfo | null> {
  for (let now = job; ;) {
    if (now.state === "done") return now;
    if (now.state === "stopped") return null;
    if (now.state === "failed") throw new Refusal(now.problem ?? "It failed for an unknown reason.");
    const next = something();
    const asked = await api.job(job.id).catch((e: unknown) => {
      if (e instanceof Refusal && e.status === 404) return null;
      // A server that does not answer for a moment goes on with its jobs.
      return now;
    });
    if (asked === null) return null;
    now = asked;
    if (now.state === "waiting" || now.state === "running" || now.state === "held") await next;
  }
}

/** First questions after whose answers things are asked for once more. */
const onceMore = new WeakSet<Query>();

/**
 * Asks for things anew. What is asked for the first time and not answered yet is asked for once more after that: the query library would
 * wait for the answer under way and take it for the newest, though it may have been read before the change.
 */
function askAgain(queries: QueryClient, queryKey: QueryKey = []): void {
  const first = queries.getQueryCache().findAll({
    queryKey,
    predicate: ({ state }) => state.data === undefined && state.fetchStatus !== "idle",
  });
  void queries.invalidateQueries({ queryKey });
  for (const query of first) {
    // However much changes meanwhile.
    if (onceMore.has(query)) continue;
    onceMore.add(query);
    const once = () => {
      onceMore.delete(query);
      return queries.invalidateQueries({ queryKey: query.queryKey, exact: true });
    };
    query.fetch().then(once, once);
  }
}

/** Follows what changes on the server and keeps the shown data true. */
export function useChanges(): void {
  const queries = useQueryClient();
  useEffect(() => {
    // A key held down changes a project many times a second: it is asked for once for all of them.
    const changed = new Set<number>();
    let timer: ReturnType<typeof setTimeout> | undefined;
    const soon = (project: number) => {
      changed.add(project);
      timer ??= setTimeout(() => {
        timer = undefined;
        askAgain(queries, keys.projects);
        for (const id of changed) askAgain(queries, keys.project(id));
        changed.clear();
      }, 250);
    };
    const end = follow((told) => {
      if (told.kind === "lost" || told.kind === "back") {
        tellPresence(told.kind === "lost");
        return;
      }
      const event = told as Event | { kind: "open" };
      if (event.kind === "job") {
        const { job } = event;
        const project = job.project ?? -1;
        const before = queries.getQueryData<JobInfo[]>(keys.jobs)?.find((j) => j.id === job.id)?.state;
        queries.setQueryData<JobInfo[]>(keys.jobs, (jobs) => jobs && withJob(jobs, job));
        if (job.kind === "order")
          queries.setQueryData<Project>(keys.project(project), (p) => p && withOrder(p, event));
        // An answer that was asked for before this and comes after it would put back what was: a state that stays is
        // asked for anew. Progress comes again by itself.
        if (job.state !== before || job.state !== "running") {
          askAgain(queries, keys.jobs);
          askAgain(queries, keys.project(project));
          if (job.state === "done") askAgain(queries, keys.projects);
        }
        heard.dispatchEvent(new CustomEvent("job"));
      } else if (event.kind === "jobs") {
        askAgain(queries, keys.jobs);
        heard.dispatchEvent(new CustomEvent("job"));
      } else if (event.kind === "pictures") {
        askAgain(queries, keys.pictures);
      } else if (event.kind === "project") {
        soon(event.project);
      } else {
        // The line was opened again, or something else changed: what was missed is asked for.
        askAgain(queries);
        heard.dispatchEvent(new CustomEvent("job"));
      }
    });
    return () => {
      clearTimeout(timer);
      end();
    };
  }, [queries]);
}
