import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../api/client";
import { keys } from "../api/changes";
import type { Project } from "../generated/Project";
import { Problem } from "../parts/Problem";

/** The project's name, changed in its own place. */
export function ProjectName({ project }: { project: Project }) {
  const queries = useQueryClient();
  const [draft, setDraft] = useState<string | null>(null);
  const rename = useMutation({
    mutationFn: (name: string) => api.changeProject(project.id, { name }),
    onSuccess: (p) => {
      queries.setQueryData(keys.project(project.id), p);
      void queries.invalidateQueries({ queryKey: keys.projects });
      setDraft(null);
    },
  });
  if (draft === null) {
    return (
      <button
        type="button"
        className="btn btn-ghost btn-sm font-normal"
        onClick={() => setDraft(project.name)}
      >
        Rename project
      </button>
    );
  }
  return (
    <form
      className="flex items-center gap-1.5"
      onSubmit={(e) => {
        e.preventDefault();
        rename.mutate(draft);
      }}
    >
      <input
        className="input input-sm w-56 bg-base-100"
        aria-label="Project name"
        value={draft}
        maxLength={80}
        onChange={(e) => setDraft(e.target.value)}
        onKeyDown={(e) => e.key === "Escape" && setDraft(null)}
      />
      <button type="submit" className="btn btn-sm" disabled={draft.trim() === "" || rename.isPending}>
        Rename
      </button>
      <button type="button" className="btn btn-ghost btn-sm font-normal" onClick={() => setDraft(null)}>
        Cancel
      </button>
      <Problem error={rename.error} />
    </form>
  );
}
