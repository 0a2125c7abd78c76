import type { Project } from "../generated/Project";
import { Mark } from "../parts/Mark";
import { ReplaceScene } from "./ReplaceScene";

/** What was taken over, left out, or is odd. */
export function ImportReport({ project }: { project: Project }) {
  const { scene } = project;
  return (
    <div
      className="scrolls min-h-0 flex-1 space-y-3 rounded-box border border-base-300 p-3 text-sm"
      tabIndex={0}
      role="region"
      aria-label="What the import understood"
    >
      {scene.understood.length > 0 && (
        <div>
          <h2 className="mb-1 text-sm">Understood</h2>
          <ul className="space-y-1">
            {scene.understood.map((u) => (
              <li key={u}>
                <Mark kind="fine">
                  <span className="text-base-content">{u}</span>
                </Mark>
              </li>
            ))}
          </ul>
        </div>
      )}
      {scene.left_out.length + scene.notices.length > 0 ? (
        <div>
          <h2 className="mb-1 text-sm">Left out, or odd</h2>
          <ul className="space-y-1">
            {[...scene.left_out.map((l) => `${l.what}: ${l.why}.`), ...scene.notices].map((text) => (
              <li key={text}>
                <Mark kind="look">
                  <span className="text-base-content">{text}</span>
                </Mark>
              </li>
            ))}
          </ul>
        </div>
      ) : (
        <p>
          <Mark kind="fine">
            <span className="text-base-content">Nothing was left out and nothing is odd.</span>
          </Mark>
        </p>
      )}
      <ReplaceScene project={project} />
    </div>
  );
}
