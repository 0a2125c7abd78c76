import type { QueryClient } from "@tanstack/react-query";
import type { Project } from "../generated/Project";
import type { SceneSettings } from "../generated/SceneSettings";
import type { Viewpoint } from "../generated/Viewpoint";
import type { ViewpointDraft } from "../generated/ViewpointDraft";
import { keys } from "./changes";
import { api } from "./client";

/** Changes of one thing go one after the other. */
const turns = new Map<string, Promise<unknown>>();

function inTurn<T>(key: string, work: () => Promise<T>): Promise<T> {
  const before = turns.get(key) ?? Promise.resolve();
  const mine = before.catch(() => undefined).then(work);
  turns.set(key, mine);
  return mine;
}

/** Versions that followed others by changes of this window: what was seen before them was not changed by anybody else. */
const followed = new Map<string, number>();

function sinceThen(what: string, version: number): number {
  let now = version;
  for (let next = followed.get(`${what} ${now}`); next !== undefined; next = followed.get(`${what} ${now}`)) {
    now = next;
  }
  return now;
}

/** After a refusal the page shows how things are. */
async function orAskAgain<T>(queries: QueryClient, project: number, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (e) {
    void queries.invalidateQueries({ queryKey: keys.project(project) });
    throw e;
  }
}

/** What was asked before a change was made is older than its answer, and must not come after it. */
async function after(queries: QueryClient, project: number, keep: (p: Project) => Project) {
  const queryKey = keys.project(project);
  await queries.cancelQueries({ queryKey });
  queries.setQueryData<Project>(queryKey, (p) => p && keep(p));
  void queries.invalidateQueries({ queryKey });
}

/** Changes a part of the scene's settings as they were seen; refused if somebody else changed them meanwhile. */
export function changeSettings(
  queries: QueryClient,
  seen: Project,
  part: Partial<SceneSettings>,
): Promise<Project> {
  const what = `project ${seen.id}`;
  return inTurn(what, () =>
    orAskAgain(queries, seen.id, async () => {
      const now = queries.getQueryData<Project>(keys.project(seen.id)) ?? seen;
      const version = sinceThen(what, seen.version);
      const changed = await api.changeProject(seen.id, { settings: { ...now.settings, ...part }, version });
      if (changed.version !== version) followed.set(`${what} ${version}`, changed.version);
      await after(queries, seen.id, () => changed);
      return changed;
    }),
  );
}

/** Changes a viewpoint as it was seen; refused if somebody else changed it meanwhile. */
export function changeViewpoint(
  queries: QueryClient,
  project: number,
  seen: Viewpoint,
  draft: ViewpointDraft,
): Promise<Viewpoint> {
  const what = `viewpoint ${seen.id}`;
  return inTurn(what, () =>
    orAskAgain(queries, project, async () => {
      const version = sinceThen(what, seen.version);
      const changed = await api.setViewpoint(project, seen.id, { ...draft, version });
      if (changed.version !== version) followed.set(`${what} ${version}`, changed.version);
      await after(queries, project, (p) => ({
        ...p,
        viewpoints: p.viewpoints.map((o) => (o.id === changed.id ? changed : o)),
      }));
      return changed;
    }),
  );
}

/** Moves a viewpoint by some places in the order as it is shown; refused if somebody else changed the order meanwhile. */
export function shiftViewpoint(
  queries: QueryClient,
  seen: Project,
  id: number,
  by: number,
): Promise<Project> {
  return inTurn(`order ${seen.id}`, () =>
    orAskAgain(queries, seen.id, async () => {
      const now = queries.getQueryData<Project>(keys.project(seen.id)) ?? seen;
      const before = now.viewpoints.map((v) => v.id);
      const [from, to] = [before.indexOf(id), before.indexOf(id) + by];
      const [a, b] = [before[from], before[to]];
      if (a === undefined || b === undefined) return now;
      const ids = before.map((v, at) => (at === from ? b : at === to ? a : v));
      const changed = await api.orderViewpoints(seen.id, ids, before);
      await after(queries, seen.id, () => changed);
      return changed;
    }),
  );
}
