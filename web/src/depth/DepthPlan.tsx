import { useMutation, useQueries, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../api/client";
import { changeViewpoint } from "../api/changing";
import type { Project } from "../generated/Project";
import type { Rig } from "../generated/Rig";
import type { Viewpoint } from "../generated/Viewpoint";
import { NumberField } from "../parts/NumberField";
import { Problem } from "../parts/Problem";
import { length } from "../parts/units";
import { draftOf } from "../stand/useStand";

type Sort = "order" | "name" | "percent" | "findings";
const KINDS = { off: "one eye", panoramic: "headset", flat: "screen" } as const;

/** The plan of depth: all viewpoints with their share of the budget, findings and notes, so that several people work to it. */
export function DepthPlan({
  project,
  chosen,
  onChoose,
}: {
  project: Project;
  chosen: number;
  onChoose: (id: number) => void;
}) {
  const queries = useQueryClient();
  const [sort, setSort] = useState<Sort>("order");
  const save = useMutation({
    mutationFn: ({ of, rig }: { of: Viewpoint; rig: Rig }) =>
      changeViewpoint(queries, project.id, of, { ...draftOf(of), rig }),
  });
  const told = useQueries({
    queries: project.viewpoints.map((v) => ({
      queryKey: ["depth", project.id, v.pose, v.rig, project.settings.time_s, project.settings.moves],
      queryFn: () => api.depth(project.id, { pose: v.pose, rig: v.rig }),
      gcTime: 10_000,
    })),
  });
  const rows = project.viewpoints.map((v, i) => {
    const depth = told[i]?.data ?? null;
    return { v, depth, findings: depth ? depth.offenders.length + depth.violations.length : null };
  });
  const by = {
    order: () => 0,
    name: (a: (typeof rows)[0], b: (typeof rows)[0]) => a.v.name.localeCompare(b.v.name),
    percent: (a: (typeof rows)[0], b: (typeof rows)[0]) =>
      b.v.rig.flat.budget.percent - a.v.rig.flat.budget.percent,
    findings: (a: (typeof rows)[0], b: (typeof rows)[0]) => (b.findings ?? 0) - (a.findings ?? 0),
  }[sort];
  const head = (to: Sort, words: string) => (
    <button
      type="button"
      className="cursor-pointer underline-offset-2 hover:underline"
      onClick={() => setSort(to)}
    >
      {words}
      {sort === to ? " ▾" : ""}
    </button>
  );
  return (
    <>
      <table className="table table-xs" data-testid="depth-plan">
        <thead className="text-base-content/80">
          <tr>
            <th aria-sort={sort === "name" ? "ascending" : "none"}>{head("name", "Viewpoint")}</th>
            <th>{head("percent", "Share")}</th>
            <th>{head("findings", "Beyond")}</th>
          </tr>
        </thead>
        <tbody>
          {[...rows].sort(by).map(({ v, depth, findings }) => (
            <tr key={v.id} className={v.id === chosen ? "bg-base-200" : ""}>
              <td className="w-full max-w-0">
                <button
                  type="button"
                  className="block w-full cursor-pointer truncate text-left font-semibold"
                  title={v.name}
                  onClick={() => onChoose(v.id)}
                >
                  {v.name}
                </button>
                <div className="text-base-content/75">
                  {KINDS[v.rig.kind]}
                  {v.rig.kind !== "off" && depth && `, ${(depth.separation_m * 1000).toFixed(0)} mm`}
                  {depth?.nearest_m != null && `, from ${length(depth.nearest_m)}`}
                </div>
                <input
                  className="input input-xs mt-0.5 w-full bg-base-100"
                  aria-label={`Note for ${v.name}`}
                  placeholder="Note"
                  maxLength={2000}
                  defaultValue={v.rig.note}
                  key={v.rig.note}
                  onBlur={(e) => {
                    if (e.target.value !== v.rig.note)
                      save.mutate({ of: v, rig: { ...v.rig, note: e.target.value } });
                  }}
                />
              </td>
              <td className="w-24">
                {v.rig.kind === "flat" && (
                  <NumberField
                    bare
                    label={`Share for ${v.name}`}
                    unit="%"
                    step={5}
                    min={0.1}
                    max={200}
                    value={v.rig.flat.budget.percent}
                    onChange={(percent) =>
                      save.mutate({
                        of: v,
                        rig: { ...v.rig, flat: { ...v.rig.flat, budget: { ...v.rig.flat.budget, percent } } },
                      })
                    }
                  />
                )}
              </td>
              <td>{v.rig.kind === "off" ? "" : (findings ?? "…")}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <a className="btn btn-sm" href={api.depthPlan(project.id)} download={`${project.name} - depth.csv`}>
        Save the plan as CSV
      </a>
      <Problem error={save.error} />
    </>
  );
}
