import type { Project } from "../generated/Project";
import type { Up } from "../generated/Up";
import { Mark } from "../parts/Mark";

const UNIT_NAMES: Record<Project["settings"]["unit"], string> = {
  metre: "metres",
  centimetre: "centimetres",
  millimetre: "millimetres",
  inch: "inches",
  foot: "feet",
};

/** What is known of a scene's frame, and whether somebody should look at it. */
export function frameDoubt(project: Project): boolean {
  const { scene, settings } = project;
  const guess = scene.guess;
  if (!guess) return false;
  const up = settings.up === null && !guess.up_told && !guess.up_sure;
  return up || (guess.up_sure && guess.up !== guess.used && settings.up === null);
}

/** Which way is up and how large the scene is: what the triangles say, and the other choice by one click. */
export function FramePanel({
  project,
  busy,
  onChange,
}: {
  project: Project;
  busy: boolean;
  onChange: (part: Partial<Project["settings"]>) => void;
}) {
  const { scene, settings } = project;
  const guess = scene.guess;
  const used: Up = settings.up ?? guess?.used ?? "y";
  return (
    <div
      className="scrolls min-h-0 flex-1 space-y-3 rounded-box border border-base-300 p-3 text-sm"
      tabIndex={0}
      role="region"
      aria-label="Up and unit"
    >
      <fieldset disabled={busy}>
        <legend className="mb-1 font-display text-sm">Which axis of the file points up?</legend>
        <div className="flex flex-wrap gap-3">
          {(["y", "z"] as const).map((axis) => (
            <label
              key={axis}
              className={`cursor-pointer rounded-box border-2 p-1.5 ${axis === used ? "border-secondary" : "border-base-300 hover:border-base-content/40"}`}
            >
              <img
                src={`/api/projects/${project.id}/up.png?axis=${axis}&used=${used}&unit=${settings.unit}`}
                alt={`The scene with ${axis.toUpperCase()} upwards`}
                className="h-[102px] w-[156px] rounded bg-white object-contain"
              />
              <span className="mt-1 flex items-center gap-1.5 text-[13px]">
                <input
                  type="radio"
                  name="up"
                  className="radio radio-xs"
                  checked={axis === used}
                  onChange={() => onChange({ up: axis })}
                />
                {axis.toUpperCase()} is up
              </span>
            </label>
          ))}
        </div>
      </fieldset>
      {guess && (
        <p className="text-[13px]">
          {settings.up !== null ? (
            <Mark kind="fine">
              <span className="text-base-content">Chosen by you.</span>
            </Mark>
          ) : guess.up_told ? (
            <Mark kind={guess.up_sure && guess.up !== used ? "look" : "fine"}>
              <span className="text-base-content">The format says that {used.toUpperCase()} is up.</span>
            </Mark>
          ) : (
            <Mark kind={guess.up_sure ? "fine" : "look"}>
              <span className="text-base-content">
                {guess.up_sure
                  ? "The file does not say it; its triangles do."
                  : "The file does not say it. This is a rough guess: look at the two pictures."}
              </span>
            </Mark>
          )}{" "}
          The triangles speak for {guess.up.toUpperCase()}
          {guess.up_sure ? "" : " (a rough guess)"}: {guess.up_why}.
        </p>
      )}
      {guess && (
        <div>
          <h2 className="mb-1 text-sm">In which unit was it made?</h2>
          <p className="text-[13px]">
            It is read as {UNIT_NAMES[settings.unit]}. Its size speaks for {UNIT_NAMES[guess.unit]}
            {guess.unit_sure ? "" : " (a rough guess)"}: {guess.unit_why}.
          </p>
          {guess.unit !== settings.unit && (
            <button
              type="button"
              className="btn btn-outline btn-sm mt-1.5"
              disabled={busy}
              onClick={() => onChange({ unit: guess.unit })}
            >
              Read it as {UNIT_NAMES[guess.unit]}
            </button>
          )}
        </div>
      )}
    </div>
  );
}
