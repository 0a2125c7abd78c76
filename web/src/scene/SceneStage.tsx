import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useLocation } from "wouter";
import { api } from "../api/client";
import { keys } from "../api/changes";
import type { Project } from "../generated/Project";
import { Mark } from "../parts/Mark";
import { Problem } from "../parts/Problem";
import { count, metres } from "../parts/units";
import { Horizon } from "../sphere/Horizon";
import { useLivePicture } from "../sphere/useLivePicture";
import { SkyControl } from "./SkyControl";

function Fact({ name, value }: { name: string; value: string }) {
  return (
    <div>
      <dt className="text-xs text-base-content/75">{name}</dt>
      <dd className="font-display text-lg leading-tight">{value}</dd>
    </div>
  );
}

/** What is here: objects, materials, lights, surroundings, and what was left out. */
export function SceneStage({ project }: { project: Project }) {
  const { scene } = project;
  const queries = useQueryClient();
  const [, go] = useLocation();
  const [find, setFind] = useState("");
  const viewpoint = project.viewpoints[0];
  const live = useLivePicture(
    project.id,
    viewpoint?.pose ?? { position: [0, 0, 0], heading_deg: 0, pitch_deg: 0, roll_deg: 0 },
    project.sky,
  );
  const change = useMutation({
    mutationFn: (sky: Project["sky"]) => api.changeProject(project.id, { sky }),
    onSuccess: (p) => queries.setQueryData(keys.project(project.id), p),
  });
  const remove = useMutation({
    mutationFn: () => api.removeProject(project.id),
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: keys.projects });
      go("/");
    },
  });
  const size = scene.max.map((v, i) => v - (scene.min[i] ?? 0));
  const lights = scene.objects.filter((o) => o.light);
  const shown = scene.objects.filter((o) => o.name.toLowerCase().includes(find.toLowerCase()));

  return (
    <div className="grid h-full min-h-[600px] grid-cols-[minmax(0,1fr)_minmax(0,1.15fr)] gap-5">
      <section className="flex min-h-0 flex-col gap-3">
        <div>
          <h1 className="text-2xl">{scene.file}</h1>
          <p className="text-xs text-base-content/75">{scene.format}</p>
        </div>
        <dl className="grid grid-cols-3 gap-x-4 gap-y-2">
          <Fact name="Objects" value={count(scene.objects.length)} />
          <Fact name="Triangles" value={count(scene.triangles)} />
          <Fact
            name="Size (x × height × z)"
            value={`${metres(size[0] ?? 0)} × ${metres(size[1] ?? 0)} × ${metres(size[2] ?? 0)}`}
          />
          <Fact name="Materials" value={count(scene.materials)} />
          <Fact name="Pictures on them" value={count(scene.textures)} />
          <Fact name="Objects that give light" value={count(lights.length)} />
        </dl>
        {(scene.left_out.length > 0 || scene.notices.length > 0) && (
          <div className="rounded-box bg-base-200 px-3 py-2 text-sm">
            <h2 className="mb-1 text-sm">Left out, or odd</h2>
            <ul className="max-h-28 space-y-1 overflow-auto">
              {scene.left_out.map((l) => (
                <li key={l.what + l.why}>
                  <Mark kind="look">
                    <span className="text-base-content">
                      {l.what}: {l.why}.
                    </span>
                  </Mark>
                </li>
              ))}
              {scene.notices.map((n) => (
                <li key={n}>
                  <Mark kind="look">
                    <span className="text-base-content">{n}</span>
                  </Mark>
                </li>
              ))}
            </ul>
          </div>
        )}
        <label className="input input-sm w-64 bg-base-100">
          <input
            type="search"
            placeholder="Find an object"
            value={find}
            onChange={(e) => setFind(e.target.value)}
            aria-label="Find an object"
          />
        </label>
        <div
          className="min-h-0 flex-1 overflow-auto rounded-box border border-base-300"
          tabIndex={0}
          role="region"
          aria-label="Objects"
        >
          <table className="table table-xs">
            <thead className="sticky top-0 bg-base-200 text-base-content/80">
              <tr>
                <th>Object</th>
                <th>Material</th>
                <th className="text-right">Triangles</th>
                <th className="text-right">Largest side</th>
              </tr>
            </thead>
            <tbody>
              {shown.slice(0, 500).map((o, i) => (
                <tr key={`${o.name}-${i}`}>
                  <td>
                    {o.name}
                    {o.light && (
                      <span className="ml-2 rounded-full bg-warning/15 px-1.5 text-[11px] text-warning">
                        gives light
                      </span>
                    )}
                  </td>
                  <td className="text-base-content/80">{o.material}</td>
                  <td className="text-right">{count(o.triangles)}</td>
                  <td className="text-right">{metres(Math.max(...o.size))}</td>
                </tr>
              ))}
            </tbody>
          </table>
          {shown.length > 500 && (
            <p className="p-2 text-xs">{count(shown.length - 500)} more; narrow the search.</p>
          )}
        </div>
      </section>
      <section className="flex min-h-0 flex-col gap-4">
        <Horizon
          picture={live.url}
          label={`Unrolled picture from ${viewpoint?.name ?? "the viewpoint"}`}
          heading={viewpoint?.pose.heading_deg ?? 0}
          note={
            <span>
              {live.samples
                ? `Live from “${viewpoint?.name}”, ${live.samples} of ${live.enough} samples`
                : "Preparing the live picture"}
            </span>
          }
        />
        <Problem error={live.problem ?? change.error ?? remove.error} />
        <SkyControl sky={project.sky} onChange={(sky) => change.mutate(sky)} />
        <div className="mt-auto flex justify-between">
          <button
            type="button"
            className="btn btn-ghost btn-sm text-error"
            onClick={() =>
              window.confirm(`Remove “${project.name}” with all its pictures?`) && remove.mutate()
            }
          >
            Remove project
          </button>
          <button
            type="button"
            className="btn btn-primary"
            onClick={() => go(`/project/${project.id}/stand`)}
          >
            Choose where to stand
          </button>
        </div>
      </section>
    </div>
  );
}
