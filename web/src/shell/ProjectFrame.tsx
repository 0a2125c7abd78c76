import { useQuery } from "@tanstack/react-query";
import { Link } from "wouter";
import { api } from "../api/client";
import { keys } from "../api/changes";
import { DepthStage } from "../depth/DepthStage";
import { HandOverStage } from "../handover/HandOverStage";
import { LookStage } from "../look/LookStage";
import { Mark } from "../parts/Mark";
import { Problem } from "../parts/Problem";
import { PreflightPill } from "../preflight/PreflightPill";
import type { Project } from "../generated/Project";
import { RenderStage } from "../render/RenderStage";
import { SceneStage } from "../scene/SceneStage";
import { StandStage } from "../stand/StandStage";
import { Header } from "./Header";
import { shownStages, stages } from "./stages";
import { UndoButtons } from "./UndoButtons";
import { useTitle } from "./useTitle";

const screens: Record<string, (props: { project: Project }) => React.ReactNode> = {
  scene: SceneStage,
  stand: StandStage,
  depth: DepthStage,
  render: RenderStage,
  "hand-over": HandOverStage,
  look: LookStage,
};

/** A project with the way through its stages. */
export function ProjectFrame({ id, stage }: { id: number; stage: string }) {
  const { data: project, error } = useQuery({ queryKey: keys.project(id), queryFn: () => api.project(id) });
  const Screen = screens[stage] ?? SceneStage;
  const shown = shownStages();
  useTitle(stages.find((s) => s.path === stage)?.name, project?.name);
  return (
    <div className="flex h-full flex-col">
      <Header
        title={project?.name ?? ""}
        aside={
          project && (
            <>
              <UndoButtons key={`undo-${project.id}`} project={project} />
              <PreflightPill key={project.id} project={project} />
            </>
          )
        }
      >
        {project && (
          <nav aria-label="Stages">
            <ol className="flex items-stretch">
              {shown.map((s, i) => {
                const { kind, word } = s.state(project);
                const here = s.path === stage;
                return (
                  <li key={s.path} className="flex items-center">
                    {i > 0 && (
                      <span
                        className="w-1 border-t border-dotted border-base-content/40 min-[1100px]:w-2 min-[1500px]:w-4"
                        aria-hidden="true"
                      />
                    )}
                    <Link
                      href={`/project/${id}/${s.path}`}
                      aria-current={here ? "page" : undefined}
                      className={`flex flex-col rounded-lg px-1.5 py-1 leading-tight min-[1100px]:px-2 min-[1500px]:px-3 ${here ? "bg-secondary text-secondary-content" : "hover:bg-base-200"}`}
                    >
                      <span className="font-display text-[15px] whitespace-nowrap">{s.name}</span>
                      <span className="text-xs whitespace-nowrap">
                        {here ? <span>{s.question}</span> : <Mark kind={kind}>{word}</Mark>}
                      </span>
                    </Link>
                  </li>
                );
              })}
            </ol>
          </nav>
        )}
      </Header>
      <main tabIndex={-1} className="min-h-0 flex-1 overflow-auto p-3 xl:p-4">
        {error && <Problem error={error} />}
        {project && <Screen key={stage} project={project} />}
      </main>
    </div>
  );
}
