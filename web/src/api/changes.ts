import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import type { Event } from "../generated/Event";
import type { Order } from "../generated/Order";
import type { Pictures } from "../generated/Pictures";
import type { Project } from "../generated/Project";

/** The query keys of everything that is kept. */
export const keys = {
  projects: ["projects"] as const,
  pictures: ["pictures"] as const,
  project: (id: number) => ["project", id] as const,
  queue: ["queue"] as const,
};

function withOrder(project: Project, order: Order): Project {
  const known = project.orders.some((o) => o.id === order.id);
  const orders = known
    ? project.orders.map((o) => (o.id === order.id ? order : o))
    : [order, ...project.orders];
  return { ...project, orders };
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
        void queries.invalidateQueries({ queryKey: keys.projects });
        for (const id of changed) void queries.invalidateQueries({ queryKey: keys.project(id) });
        changed.clear();
      }, 250);
    };
    const line = new EventSource("/api/events");
    line.addEventListener("message", (message: MessageEvent<string>) => {
      const event = JSON.parse(message.data) as Event | { kind: "open" };
      if (event.kind === "order") {
        queries.setQueryData<Project>(
          keys.project(event.order.project),
          (p) => p && withOrder(p, event.order),
        );
        // An answer that was asked for before this and comes after it would put back what was: a state that stays is
        // asked for anew. Progress comes again by itself.
        if (event.order.state !== "running")
          void queries.invalidateQueries({ queryKey: keys.project(event.order.project) });
        if (event.order.state === "done") void queries.invalidateQueries({ queryKey: keys.projects });
        void queries.invalidateQueries({ queryKey: keys.queue });
      } else if (event.kind === "making") {
        const { work } = event;
        queries.setQueryData<Pictures>(
          keys.pictures,
          (p) => p && { ...p, making: [work, ...p.making.filter((w) => w.id !== work.id)] },
        );
      } else if (event.kind === "pictures") {
        void queries.invalidateQueries({ queryKey: keys.pictures });
      } else if (event.kind === "project") {
        soon(event.project);
      } else {
        // The line was opened again, or something else changed: what was missed is asked for.
        void queries.invalidateQueries();
      }
    });
    return () => {
      clearTimeout(timer);
      line.close();
    };
  }, [queries]);
}
