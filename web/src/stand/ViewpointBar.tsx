import { useQueryClient } from "@tanstack/react-query";
import { shiftViewpoint } from "../api/changing";
import { api } from "../api/client";
import type { Project } from "../generated/Project";
import type { Stand } from "./useStand";
import { EYE_HEIGHTS } from "./PlacePanel";
import { LengthField } from "../parts/LengthField";

interface Props {
  project: Project;
  stand: Stand;
  adding: boolean;
  eyeHeight: number;
  compared: number | null;
  onAdding: (adding: boolean) => void;
  onEyeHeight: (metres: number) => void;
  onCompare: (id: number | null) => void;
}

const small = "btn btn-ghost btn-xs px-1.5 font-normal";

/** The viewpoints in their order, and what is done with them. */
export function ViewpointBar(props: Props) {
  const { project, stand, adding, compared } = props;
  const queries = useQueryClient();
  const { viewpoints, scene } = project;
  const id = stand.viewpoint?.id;
  const at = viewpoints.findIndex((v) => v.id === id);
  const shift = (by: number) => {
    if (id !== undefined) stand.whole(() => shiftViewpoint(queries, project, id, by));
  };
  return (
    <div className="flex flex-col gap-1">
      <div
        className="scrolls flex max-h-[4.6rem] flex-wrap content-start items-center gap-1.5"
        role="group"
        aria-label="Viewpoints"
      >
        {viewpoints.map((v) => (
          <button
            key={v.id}
            type="button"
            aria-pressed={v.id === id}
            title={v.name}
            className={`max-w-48 truncate rounded-full border px-2.5 py-0.5 text-[13px] ${v.id === id ? "border-secondary bg-secondary text-secondary-content" : "border-base-300 hover:bg-base-200"}`}
            onClick={() => stand.choose(v.id)}
          >
            {v.name}
          </button>
        ))}
        {scene.cameras.length > 0 && (
          <select
            className="select select-xs w-32 rounded-full bg-base-100"
            aria-label="Take a camera of the scene as a viewpoint"
            value=""
            onChange={(e) => {
              const camera = scene.cameras[Number(e.target.value)];
              if (!camera) return;
              const mover = scene.movers.find((m) => m.camera && m.node === camera.node);
              stand.add({
                name: camera.name.slice(0, 80) || "Camera",
                unlocked: false,
                opening: null,
                // One that moves takes the viewpoint along.
                ride: mover ? { node: mover.node, name: mover.name, offset: [0, 0, 0] } : null,
                path: null,
                // Its pitch and roll would make the horizon wavy; only place and heading are taken.
                pose: { ...camera.pose, pitch_deg: 0, roll_deg: 0 },
              });
            }}
          >
            <option value="">From a camera</option>
            {scene.cameras.map((c, i) => (
              <option key={`${c.name}-${c.node}`} value={i}>
                {c.name}
              </option>
            ))}
          </select>
        )}
      </div>
      <div className="flex flex-wrap items-center gap-0.5 text-[13px]">
        <button
          type="button"
          aria-pressed={adding}
          className={`btn btn-xs font-normal ${adding ? "btn-secondary" : ""}`}
          onClick={() => props.onAdding(!adding)}
        >
          {adding ? "Cancel" : "Add viewpoint"}
        </button>
        {adding ? (
          <span className="flex items-center gap-1 pl-1">
            <span className="text-xs">Click a place on the plan. Eye:</span>
            {EYE_HEIGHTS.map(([name, h]) => (
              <button
                key={name}
                type="button"
                className={small}
                aria-pressed={props.eyeHeight === h}
                onClick={() => props.onEyeHeight(h)}
              >
                {name}
              </button>
            ))}
            <span className="w-20">
              <LengthField
                label="Eye height"
                bare
                step={0.05}
                min={0.05}
                value={props.eyeHeight}
                onChange={props.onEyeHeight}
              />
            </span>
          </span>
        ) : (
          <>
            <button
              type="button"
              className={small}
              onClick={() =>
                id !== undefined &&
                stand.whole(async () => {
                  const copied = await api.copyViewpoint(project.id, id);
                  // The copy is what one goes on with.
                  stand.choose(copied.viewpoints.at(-1)?.id ?? id);
                  return copied;
                })
              }
            >
              Copy
            </button>
            <button
              type="button"
              className={small}
              disabled={at <= 0}
              title="Earlier in the order of the tour"
              aria-label="Earlier in the order"
              onClick={() => shift(-1)}
            >
              ←
            </button>
            <button
              type="button"
              className={small}
              disabled={at < 0 || at === viewpoints.length - 1}
              title="Later in the order of the tour"
              aria-label="Later in the order"
              onClick={() => shift(1)}
            >
              →
            </button>
            <button
              type="button"
              className={`${small} text-error`}
              title="Removes this viewpoint; Undo brings it back"
              disabled={viewpoints.length < 2}
              onClick={() => id !== undefined && stand.remove(id)}
            >
              Remove
            </button>
            <select
              className="select select-xs w-24 bg-base-100"
              aria-label="Compare with another viewpoint"
              value={compared ?? ""}
              disabled={viewpoints.length < 2}
              onChange={(e) => props.onCompare(e.target.value === "" ? null : Number(e.target.value))}
            >
              <option value="">Compare</option>
              {viewpoints
                .filter((v) => v.id !== id)
                .map((v) => (
                  <option key={v.id} value={v.id}>
                    {v.name}
                  </option>
                ))}
            </select>
          </>
        )}
      </div>
    </div>
  );
}
