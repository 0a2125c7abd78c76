import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api } from "../api/client";
import { keys } from "../api/changes";
import type { Project } from "../generated/Project";
import type { SetupName } from "../generated/SetupName";
import { Problem } from "../parts/Problem";

/** All light setups of a project, in their order. */
export function setupsOf(settings: Project["settings"]): SetupName[] {
  return [settings.setup, ...settings.other_setups.map((s) => s.setup)].toSorted(
    (a, b) => a.number - b.number,
  );
}

/** A name that is free: "Setup 2" and so on. */
function freeName(setups: SetupName[]): string {
  const taken = new Set(setups.map((s) => s.name));
  for (let n = setups.length + 1; ; n++) {
    if (!taken.has(`Setup ${n}`)) return `Setup ${n}`;
  }
}

/** The light setups: one in use, put in use by a click; copied, renamed, removed, compared. */
export function SetupBar({
  project,
  compared,
  onCompare,
}: {
  project: Project;
  /** Number of the setup that is shown beside the one in use. */
  compared: number | null;
  onCompare: (setup: number | null) => void;
}) {
  const queries = useQueryClient();
  const setups = setupsOf(project.settings);
  const { setup } = project.settings;
  const [naming, setNaming] = useState<{ copy: boolean; name: string } | null>(null);
  const field = useRef<HTMLInputElement>(null);
  const asked = naming !== null;
  useEffect(() => {
    if (asked) field.current?.select();
  }, [asked]);
  const change = useMutation({
    mutationFn: (work: () => Promise<Project>) => work(),
    onSuccess: (p) => {
      queries.setQueryData(keys.project(project.id), p);
      setNaming(null);
    },
    onError: () => queries.invalidateQueries({ queryKey: keys.project(project.id) }),
  });
  const others = setups.filter((s) => s.number !== setup.number);
  const small = "btn btn-ghost btn-sm px-2 font-normal";
  return (
    <div className="flex flex-wrap items-center gap-x-2 gap-y-1 pl-9 text-sm" data-testid="setups">
      <span className="text-xs text-base-content/75" id="setups-label">
        Light setup
      </span>
      <div role="group" aria-labelledby="setups-label" className="flex flex-wrap gap-1">
        {setups.map((s) => (
          <button
            key={s.number}
            type="button"
            aria-pressed={s.number === setup.number}
            className={`btn btn-sm font-normal ${s.number === setup.number ? "btn-active font-semibold" : ""}`}
            disabled={change.isPending}
            onClick={() => change.mutate(() => api.chooseSetup(project.id, s.number))}
          >
            {s.name}
          </button>
        ))}
      </div>
      {naming === null ? (
        <>
          <button
            type="button"
            className={small}
            title="A copy of the setup in use, to change on its own"
            onClick={() => setNaming({ copy: true, name: freeName(setups) })}
          >
            Copy
          </button>
          <button
            type="button"
            className={small}
            onClick={() => setNaming({ copy: false, name: setup.name })}
          >
            Rename
          </button>
          {others.length > 0 && (
            <>
              <button
                type="button"
                className={small}
                title="Undo brings it back"
                disabled={change.isPending}
                onClick={() => change.mutate(() => api.removeSetup(project.id, setup.number))}
              >
                Remove
              </button>
              <select
                className="select select-sm w-36 bg-base-100"
                aria-label="Compare with another light setup"
                value={compared ?? ""}
                onChange={(e) => onCompare(e.target.value === "" ? null : Number(e.target.value))}
              >
                <option value="">Compare</option>
                {others.map((s) => (
                  <option key={s.number} value={s.number}>
                    with {s.name}
                  </option>
                ))}
              </select>
            </>
          )}
        </>
      ) : (
        <form
          className="flex items-center gap-1.5"
          onSubmit={(e) => {
            e.preventDefault();
            const { copy, name } = naming;
            change.mutate(() =>
              copy ? api.copySetup(project.id, name) : api.renameSetup(project.id, setup.number, name),
            );
          }}
        >
          <input
            className="input input-sm w-40 bg-base-100"
            aria-label="Name of the light setup"
            value={naming.name}
            maxLength={80}
            ref={field}
            onChange={(e) => setNaming({ ...naming, name: e.target.value })}
            onKeyDown={(e) => e.key === "Escape" && setNaming(null)}
          />
          <button
            type="submit"
            className="btn btn-sm"
            disabled={naming.name.trim() === "" || change.isPending}
          >
            {naming.copy ? "Copy" : "Rename"}
          </button>
          <button type="button" className={small} onClick={() => setNaming(null)}>
            Cancel
          </button>
        </form>
      )}
      <Problem error={change.error} />
    </div>
  );
}
