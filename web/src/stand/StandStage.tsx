import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useLayoutEffect, useRef, useState } from "react";
import { useLocation } from "wouter";
import { api } from "../api/client";
import { keys } from "../api/changes";
import type { Project } from "../generated/Project";
import type { Viewpoint } from "../generated/Viewpoint";
import type { ViewpointDraft } from "../generated/ViewpointDraft";
import { Mark } from "../parts/Mark";
import { NumberField } from "../parts/NumberField";
import { Problem } from "../parts/Problem";
import { degrees, metres, wrapHeading } from "../parts/units";
import { Horizon } from "../sphere/Horizon";
import { Lookout } from "../sphere/Lookout";
import type { View } from "../sphere/geometry";
import { useLivePicture } from "../sphere/useLivePicture";
import { PlanView } from "./PlanView";

const draftOf = ({ name, pose, unlocked }: Viewpoint): ViewpointDraft => ({ name, pose, unlocked });

/** Where the viewer stands: plan, live Horizon and Lookout. */
export function StandStage({ project }: { project: Project }) {
  const queries = useQueryClient();
  const [, go] = useLocation();
  const [chosen, setChosen] = useState(project.viewpoints[0]?.id ?? 0);
  const viewpoint = project.viewpoints.find((v) => v.id === chosen) ?? project.viewpoints[0];
  // What is being moved is ahead of what the server knows.
  const [moving, setMoving] = useState<ViewpointDraft | null>(null);
  const [view, setView] = useState<View>({ lon: 0, lat: 0, hfov: 75 });
  const current: ViewpointDraft =
    moving ??
    (viewpoint
      ? draftOf(viewpoint)
      : {
          name: "",
          unlocked: false,
          pose: { position: [0, 0, 0], heading_deg: 0, pitch_deg: 0, roll_deg: 0 },
        });
  const live = useLivePicture(project.id, current.pose, project.settings);
  const { data: floor } = useQuery({
    queryKey: ["floor", project.id, current.pose.position],
    queryFn: () => api.floor(project.id, current.pose.position),
    placeholderData: (before) => before,
    gcTime: 10_000,
  });

  const keep = (v: Viewpoint) =>
    queries.setQueryData<Project>(
      keys.project(project.id),
      (p) => p && { ...p, viewpoints: p.viewpoints.map((o) => (o.id === v.id ? v : o)) },
    );
  const save = useMutation({
    mutationFn: ({ id, draft }: { id: number; draft: ViewpointDraft }) =>
      api.setViewpoint(project.id, id, draft),
    onSuccess: (v) => {
      keep(v);
      setMoving(null);
    },
    onError: () => setMoving(null),
  });
  const add = useMutation({
    mutationFn: (draft: ViewpointDraft) => api.addViewpoint(project.id, draft),
    onSuccess: (v) => {
      queries.setQueryData<Project>(
        keys.project(project.id),
        (p) => p && { ...p, viewpoints: [...p.viewpoints, v] },
      );
      setMoving(null);
      setChosen(v.id);
    },
  });
  const remove = useMutation({
    mutationFn: (id: number) => api.removeViewpoint(project.id, id),
    onSuccess: (_, id) => {
      queries.setQueryData<Project>(
        keys.project(project.id),
        (p) => p && { ...p, viewpoints: p.viewpoints.filter((v) => v.id !== id) },
      );
      setMoving(null);
      setChosen(project.viewpoints.find((v) => v.id !== id)?.id ?? 0);
    },
  });

  const latest = useRef(current);
  useLayoutEffect(() => {
    latest.current = current;
  });
  const change = (
    part: Partial<ViewpointDraft["pose"]> & { name?: string; unlocked?: boolean },
    end: boolean,
  ) => {
    const { name, unlocked, ...pose } = part;
    const before = latest.current;
    const next = {
      name: name ?? before.name,
      unlocked: unlocked ?? before.unlocked,
      pose: { ...before.pose, ...pose },
    };
    latest.current = next;
    setMoving(next);
    if (end && viewpoint) save.mutate({ id: viewpoint.id, draft: next });
  };
  const choose = (id: number) => {
    setMoving(null);
    setChosen(id);
    // In the new viewpoint's own frame the Lookout starts straight ahead.
    setView((v) => ({ ...v, lon: 0, lat: 0 }));
  };

  if (!viewpoint) return null;
  const [x, y, z] = current.pose.position;
  const floorY = floor?.floor_y ?? null;
  const above = floorY === null ? null : y - floorY;
  const level = current.pose.pitch_deg === 0 && current.pose.roll_deg === 0;

  return (
    <div className="grid h-full min-h-[640px] grid-cols-[minmax(0,24rem)_minmax(0,1fr)] gap-4">
      <section className="flex min-h-0 flex-col gap-3" aria-label="Plan">
        <div className="flex flex-wrap items-center gap-1.5" role="group" aria-label="Viewpoints">
          {project.viewpoints.map((v) => (
            <button
              key={v.id}
              type="button"
              aria-pressed={v.id === viewpoint.id}
              className={`rounded-full border px-2.5 py-0.5 text-[13px] ${v.id === viewpoint.id ? "border-secondary bg-secondary text-secondary-content" : "border-base-300 hover:bg-base-200"}`}
              onClick={() => choose(v.id)}
            >
              {v.name}
            </button>
          ))}
          <button
            type="button"
            className="rounded-full border border-dashed border-base-content/40 px-2.5 py-0.5 text-[13px] hover:bg-base-200"
            onClick={() =>
              add.mutate({
                ...current,
                name: `Viewpoint ${project.viewpoints.length + 1}`,
                pose: { ...current.pose, position: [x + 0.5, y, z] },
              })
            }
          >
            Add viewpoint
          </button>
          {project.scene.cameras.length > 0 && (
            <select
              className="select select-xs w-36 rounded-full bg-base-100"
              aria-label="Take a camera of the scene as a viewpoint"
              value=""
              onChange={(e) => {
                const camera = project.scene.cameras[Number(e.target.value)];
                // Its pitch and roll would make the horizon wavy; only place and heading are taken.
                if (camera)
                  add.mutate({
                    name: camera.name.slice(0, 80) || "Camera",
                    unlocked: false,
                    pose: { ...camera.pose, pitch_deg: 0, roll_deg: 0 },
                  });
              }}
            >
              <option value="">From a camera</option>
              {project.scene.cameras.map((c, i) => (
                <option key={`${c.name}-${i}`} value={i}>
                  {c.name}
                </option>
              ))}
            </select>
          )}
        </div>
        <div className="min-h-0 flex-1">
          <PlanView
            project={project.id}
            viewpoints={project.viewpoints}
            chosen={viewpoint.id}
            pose={current.pose}
            cut={Number(((floorY ?? y - 1.6) + 1.1).toFixed(2))}
            hfov={view.hfov}
            onChoose={choose}
            onMove={(px, pz, end) => change({ position: [px, latest.current.pose.position[1], pz] }, end)}
          />
        </div>
        <p className="text-xs text-base-content/75">
          Cut 1.10 m above the floor. Drag the viewpoint or the plan; the wheel zooms.
        </p>
      </section>
      <section className="flex min-h-0 flex-col gap-3" aria-label="View">
        <Horizon
          picture={live.url}
          label="Live unrolled picture"
          heading={current.pose.heading_deg}
          pitch={current.pose.pitch_deg}
          roll={current.pose.roll_deg}
          view={view}
          viewRatio={1.5}
          viewName="Lookout"
          onTurn={(by, end) =>
            change({ heading_deg: wrapHeading(latest.current.pose.heading_deg + by) }, end)
          }
          note={
            <span>
              {live.samples
                ? `Live, ${live.samples} of ${live.enough} samples${live.calm ? ", noise taken out" : ""}`
                : "Preparing the live picture"}
            </span>
          }
        />
        <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,22rem)_minmax(0,1fr)] gap-4 pl-9">
          <Lookout
            picture={live.picture ?? null}
            view={view}
            onView={setView}
            label="Lookout"
            className="h-full min-h-44 w-full rounded-2xl"
          />
          <div className="flex min-h-0 flex-col gap-2 overflow-auto pr-1">
            <div className="grid grid-cols-3 gap-2">
              <label className="col-span-2 flex flex-col gap-0.5">
                <span className="text-xs text-base-content/75">Name</span>
                <input
                  key={`${viewpoint.id}-${viewpoint.name}`}
                  className="input input-sm w-full bg-base-100"
                  defaultValue={viewpoint.name}
                  maxLength={80}
                  onBlur={(e) =>
                    e.target.value.trim() &&
                    e.target.value !== viewpoint.name &&
                    change({ name: e.target.value }, true)
                  }
                  onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
                />
              </label>
              <NumberField
                label="Heading"
                unit="°"
                step={1}
                digits={1}
                value={current.pose.heading_deg}
                onChange={(h) => change({ heading_deg: wrapHeading(h) }, true)}
              />
              <NumberField
                label="Height above floor"
                unit="m"
                step={0.05}
                digits={2}
                value={above ?? y}
                disabled={above === null}
                onChange={(h) => floorY !== null && change({ position: [x, floorY + h, z] }, true)}
              />
              <NumberField
                label="East (x)"
                unit="m"
                step={0.1}
                digits={2}
                value={x}
                onChange={(v) => change({ position: [v, y, z] }, true)}
              />
              <NumberField
                label="South (z)"
                unit="m"
                step={0.1}
                digits={2}
                value={z}
                onChange={(v) => change({ position: [x, y, v] }, true)}
              />
              {current.unlocked && (
                <>
                  <NumberField
                    label="Pitch"
                    unit="°"
                    digits={1}
                    min={-90}
                    max={90}
                    value={current.pose.pitch_deg}
                    onChange={(v) => change({ pitch_deg: v }, true)}
                  />
                  <NumberField
                    label="Roll"
                    unit="°"
                    digits={1}
                    min={-180}
                    max={180}
                    value={current.pose.roll_deg}
                    onChange={(v) => change({ roll_deg: v }, true)}
                  />
                </>
              )}
            </div>
            <p className="text-xs">
              {above === null ? (
                <Mark kind="look">
                  There is no floor below this place; set the height by moving it over one.
                </Mark>
              ) : (
                <span className="text-base-content/80">
                  Stands on “{floor?.object}” at {metres(floorY ?? 0)}
                </span>
              )}
            </p>
            <div className="flex items-center gap-3 text-sm">
              {level ? (
                <Mark kind="fine">Level</Mark>
              ) : (
                <Mark kind="look">
                  Not level: pitch {degrees(current.pose.pitch_deg)}, roll {degrees(current.pose.roll_deg)};
                  the horizon will be wavy.
                </Mark>
              )}
              <button
                type="button"
                className="btn btn-ghost btn-xs font-normal"
                onClick={() =>
                  change(
                    current.unlocked ? { unlocked: false, pitch_deg: 0, roll_deg: 0 } : { unlocked: true },
                    true,
                  )
                }
              >
                {current.unlocked ? "Level and lock" : "Unlock pitch and roll"}
              </button>
            </div>
            <Problem error={save.error ?? add.error ?? remove.error ?? live.problem} />
            <div className="mt-auto flex items-center justify-between gap-2">
              <button
                type="button"
                className="btn btn-ghost btn-sm font-normal text-error"
                disabled={project.viewpoints.length < 2}
                onClick={() => remove.mutate(viewpoint.id)}
              >
                Remove viewpoint
              </button>
              <button
                type="button"
                className="btn btn-primary btn-sm"
                onClick={() => go(`/project/${project.id}/render?viewpoint=${viewpoint.id}`)}
              >
                Order a render from here
              </button>
            </div>
          </div>
        </div>
      </section>
    </div>
  );
}
