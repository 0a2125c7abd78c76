import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { api } from "../api/client";
import { keys } from "../api/changes";
import { afterAll } from "../api/changing";
import type { Project } from "../generated/Project";

/** Takes the last change of scene or viewpoints back, or makes it again; at every stage, by button and by keys. */
export function UndoButtons({ project }: { project: Project }) {
  const queries = useQueryClient();
  const step = useMutation({
    // Right after a drag its end is still to be saved, and is what is to be taken back.
    mutationFn: (again: boolean) => afterAll(() => (again ? api.redo(project.id) : api.undo(project.id))),
    onSuccess: (changed) => queries.setQueryData(keys.project(project.id), changed),
    onError: () => queries.invalidateQueries({ queryKey: keys.project(project.id) }),
  });
  const { undo, redo } = project;
  const { mutate, isPending } = step;
  useEffect(() => {
    const keyed = (e: KeyboardEvent) => {
      const typing =
        (e.target instanceof HTMLInputElement && e.target.type !== "checkbox") ||
        e.target instanceof HTMLTextAreaElement ||
        (e.target instanceof HTMLElement && e.target.isContentEditable);
      if (!(e.ctrlKey || e.metaKey) || typing) return;
      const key = e.key.toLowerCase();
      const again = key === "y" || (key === "z" && e.shiftKey);
      if (key !== "z" && !again) return;
      e.preventDefault();
      if (again ? redo === null : undo === null) return;
      mutate(again);
    };
    window.addEventListener("keydown", keyed);
    return () => window.removeEventListener("keydown", keyed);
  }, [undo, redo, mutate]);
  const button = (again: boolean, what: string | null, word: string, path: string) => (
    <button
      type="button"
      className="btn btn-ghost btn-sm px-1.5 font-normal"
      disabled={what === null || isPending}
      aria-label={what === null ? word : `${word}: ${what}`}
      title={step.error?.message ?? (what === null ? `Nothing to ${word.toLowerCase()}` : `${word}: ${what}`)}
      data-testid={word.toLowerCase()}
      onClick={() => mutate(again)}
    >
      <svg viewBox="0 0 16 16" className="size-4 min-[1600px]:hidden" aria-hidden="true">
        <path
          d={path}
          fill="none"
          stroke="currentColor"
          strokeWidth="1.8"
          strokeLinecap="round"
          strokeLinejoin="round"
        />
      </svg>
      <span className="hidden min-[1600px]:inline">{word}</span>
    </button>
  );
  return (
    <span className="flex shrink-0">
      {button(false, undo, "Undo", "M6 3 2.500 6.500 6 10M3 6.500h6.500a4 4 0 0 1 0 8H7")}
      {button(true, redo, "Redo", "M10 3l3.500 3.500L10 10M13 6.500H6.500a4 4 0 0 0 0 8H9")}
    </span>
  );
}
