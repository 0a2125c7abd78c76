import type { QueryClient } from "@tanstack/react-query";
import type { Project } from "../generated/Project";
import type { SceneSettings } from "../generated/SceneSettings";
import type { Viewpoint } from "../generated/Viewpoint";
import type { ViewpointDraft } from "../generated/ViewpointDraft";
import { keys } from "./changes";
import { api } from "./client";
import { rebased } from "./rebased";

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

/**
 * What changes of the settings: made of how they are when its turn has come. What was drawn may be older by then, and what is made of that
 * would undo what another click did just before.
 */
export type SettingsPart = Partial<SceneSettings> | ((now: SceneSettings) => Partial<SceneSettings>);

/** Changes a part of the scene's settings as they were seen; refused if somebody else changed them meanwhile. */
export function changeSettings(queries: QueryClient, seen: Project, part: SettingsPart): Promise<Project> {
  const what = `project ${seen.id}`;
  return inTurn(what, () =>
    orAskAgain(queries, seen.id, async () => {
      const now = queries.getQueryData<Project>(keys.project(seen.id)) ?? seen;
      const version = sinceThen(what, seen.version);
      const settings =
        typeof part === "function"
          ? { ...now.settings, ...part(now.settings) }
          : rebased(seen.settings, { ...seen.settings, ...part }, now.settings);
      const changed = await api.changeProject(seen.id, { settings, version });
      if (changed.version !== version) followed.set(`${what} ${version}`, changed.version);
      await after(queries, seen.id, () => changed);
      return changed;
    }),
  );
}

/** Done once all changes that were begun are answered: what was undone before would not be what is shown. */
export async function afterAll<T>(work: () => Promise<T>): Promise<T> {
  let waiting: Promise<unknown>[];
  do {
    waiting = [...turns.values()];
    await Promise.allSettled(waiting);
  } while ([...turns.values()].some((turn) => !waiting.includes(turn)));
  return work();
}

/** What has still to be found out before a change can be saved counts as its beginning. */
export function beginning<T>(what: string, work: Promise<T>): Promise<T> {
  return inTurn(`beginning ${what}`, () => work);
}

/** The parts of a viewpoint that a draft has. */
function partsOf(viewpoint: Viewpoint, draft: ViewpointDraft): ViewpointDraft {
  const parts = Object.entries(viewpoint).filter(([name]) => name in draft);
  return Object.fromEntries(parts) as unknown as ViewpointDraft;
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
      const now = queries
        .getQueryData<Project>(keys.project(project))
        ?.viewpoints.find((v) => v.id === seen.id);
      const whole = rebased<ViewpointDraft>(partsOf(seen, draft), draft, partsOf(now ?? seen, draft));
      const changed = await api.setViewpoint(project, seen.id, { ...whole, version });
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
