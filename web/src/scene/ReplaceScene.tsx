import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Refusal, api, replaceScene } from "../api/client";
import { keys } from "../api/changes";
import type { Project } from "../generated/Project";
import type { Unmatched } from "../generated/Unmatched";
import { Busy } from "../parts/Busy";
import { Mark } from "../parts/Mark";
import { Problem } from "../parts/Problem";
import { setupsOf } from "./SetupBar";

/** What was set for something that is not there, in words. */
function words(kept: Unmatched, project: Project): string {
  if (kept.moved !== null) return `${kept.path}: was moved`;
  const setups = setupsOf(project.settings);
  const setup = setups.find((s) => s.number === kept.setup);
  const light = kept.light?.unseen ? "hidden from view" : kept.light?.on ? "its brightness" : "switched off";
  return `${kept.path}: ${light}${setup && setups.length > 1 ? ` in “${setup.name}”` : ""}`;
}

/** Another export of the same scene takes the scene file's place; what was set stays with what it was set for. */
export function ReplaceScene({ project }: { project: Project }) {
  const queries = useQueryClient();
  const chooser = useRef<HTMLInputElement>(null);
  const [sent, setSent] = useState<number | null>(null);
  const [problem, setProblem] = useState<unknown>(null);
  const [choices, setChoices] = useState<{ file: File; scenes: string[] } | null>(null);
  const { unmatched } = project.settings;
  const lost = project.viewpoints.filter(
    (v) => v.ride !== null && !project.scene.movers.some((m) => m.node === v.ride?.node),
  );
  const forget = useMutation({
    mutationFn: () => api.forgetUnmatched(project.id),
    onSuccess: (p) => queries.setQueryData(keys.project(project.id), p),
  });
  const bring = async (file: File | undefined, inside?: string) => {
    if (!file || sent !== null) return;
    setProblem(null);
    setChoices(null);
    setSent(0);
    try {
      queries.setQueryData(keys.project(project.id), await replaceScene(project.id, file, inside, setSent));
      void queries.invalidateQueries({ queryKey: ["lights"] });
    } catch (e) {
      // An archive of several scenes: which one is asked here.
      if (e instanceof Refusal && e.choices.length > 0) setChoices({ file, scenes: e.choices });
      else setProblem(e);
    } finally {
      setSent(null);
      if (chooser.current) chooser.current.value = "";
    }
  };
  return (
    <div className="space-y-2 border-t border-base-300 pt-3" data-testid="replace-scene">
      <h2 className="text-sm">A newer export of this scene</h2>
      <p className="text-[13px]">
        Objects, lights and moved things are found again by their names. Viewpoints stay where they are.
      </p>
      {sent !== null ? (
        <Busy>{sent < 1 ? `Sending, ${Math.floor(sent * 100)} %` : "Reading the new file …"}</Busy>
      ) : choices ? (
        <div className="flex flex-wrap items-center gap-1.5">
          <span>Which scene of {choices.file.name}?</span>
          {choices.scenes.map((scene) => (
            <button
              key={scene}
              type="button"
              className="btn btn-sm"
              onClick={() => void bring(choices.file, scene)}
            >
              {scene}
            </button>
          ))}
          <button type="button" className="btn btn-ghost btn-sm font-normal" onClick={() => setChoices(null)}>
            Cancel
          </button>
        </div>
      ) : (
        <button type="button" className="btn btn-outline btn-sm" onClick={() => chooser.current?.click()}>
          Replace the scene file
        </button>
      )}
      <input
        ref={chooser}
        type="file"
        className="hidden"
        aria-label="Scene file that replaces this one"
        accept=".glb,.obj,.ply,.zip"
        onChange={(e) => void bring(e.target.files?.[0])}
      />
      <Problem error={problem ?? forget.error} />
      {lost.length > 0 && (
        <ul className="space-y-1" data-testid="lost-rides">
          {lost.map((v) => (
            <li key={v.id}>
              <Mark kind="look">
                <span className="text-base-content">
                  “{v.name}” was attached to {v.ride?.name}, which this file does not have: it stands still.
                </span>
              </Mark>
            </li>
          ))}
        </ul>
      )}
      {unmatched.length > 0 && (
        <div data-testid="unmatched">
          <h2 className="mb-1 text-sm">Kept for things that this file does not have</h2>
          <ul className="space-y-1">
            {unmatched.map((kept, i) => (
              <li key={`${kept.path}-${kept.setup}-${i}`}>
                <Mark kind="look">
                  <span className="text-base-content">{words(kept, project)}</span>
                </Mark>
              </li>
            ))}
          </ul>
          <button
            type="button"
            className="btn btn-ghost btn-sm mt-1 px-2 font-normal"
            title="Undo brings them back"
            disabled={forget.isPending}
            onClick={() => forget.mutate()}
          >
            Forget these
          </button>
        </div>
      )}
    </div>
  );
}
