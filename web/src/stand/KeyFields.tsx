import type { PathKey } from "../generated/PathKey";
import type { ViewpointPath } from "../generated/ViewpointPath";
import { LengthField } from "../parts/LengthField";
import { NumberField } from "../parts/NumberField";
import { Switch } from "../parts/Switch";
import { degrees, wrapHeading } from "../parts/units";
import type { View } from "../sphere/geometry";
import { withKey } from "./path";
import type { PathState } from "./usePath";

interface Props {
  path: PathState;
  now: ViewpointPath;
  /** Number of the chosen key. */
  at: number;
  /** Where the Lookout looks, relative to the middle. */
  view: View;
  /** The viewpoint's heading at this moment, degrees. */
  heading: number;
}

/** Usual distance of the eyes, and of where they meet, when a key begins to say them; metres. */
const EYES = 0.063;
const MEETS = 3;

/** What the chosen key sets beside its place. */
export function KeyFields({ path, now, at, view, heading }: Props) {
  const key = now.keys[at];
  if (!key) return null;
  const set = (part: Partial<PathKey>) => path.change(withKey(now, at, part), at);
  const looks = wrapHeading(heading);
  return (
    <fieldset className="flex flex-wrap items-end gap-x-3 gap-y-1.5 rounded-md border border-base-300 px-2 pt-0.5 pb-1.5">
      <legend className="px-1 text-xs text-base-content/75">Key {at + 1} also sets</legend>
      <div className="pb-1.5">
        <Switch
          label="heading"
          on={key.heading_deg !== null}
          onChange={(on) => set({ heading_deg: on ? Number(looks.toFixed(1)) : null, turns: 0 })}
        />
      </div>
      {key.heading_deg !== null && (
        <>
          <div className="w-24">
            <NumberField
              label="Heading"
              unit="°"
              digits={1}
              min={-3600}
              max={3600}
              value={key.heading_deg}
              onChange={(heading_deg) => set({ heading_deg })}
            />
          </div>
          <div className="w-28">
            <NumberField
              label="More whole turns"
              unit=""
              min={-100}
              max={100}
              value={key.turns}
              onChange={(turns) => set({ turns: Math.round(turns) })}
            />
          </div>
        </>
      )}
      <div className="pb-1.5">
        <Switch
          label="separation"
          on={key.separation_m !== null}
          onChange={(on) => set({ separation_m: on ? EYES : null })}
        />
      </div>
      {key.separation_m !== null && (
        <div className="w-28">
          <NumberField
            label="Eyes apart"
            unit="mm"
            digits={1}
            min={0}
            max={10_000}
            value={key.separation_m * 1000}
            onChange={(mm) => set({ separation_m: mm / 1000 })}
          />
        </div>
      )}
      <div className="pb-1.5">
        <Switch
          label="convergence"
          on={key.converge_m !== null}
          onChange={(on) => set({ converge_m: on ? MEETS : null })}
        />
      </div>
      {key.converge_m !== null && (
        <div className="w-28">
          <LengthField
            label="Eyes meet at"
            min={0.01}
            max={1e6}
            value={key.converge_m}
            onChange={(converge_m) => set({ converge_m })}
          />
        </div>
      )}
      <div className="flex items-center gap-2 pb-1 text-xs">
        <button
          type="button"
          className="btn btn-xs font-normal"
          onClick={() =>
            set({
              opening: {
                heading_deg: wrapHeading(heading + view.lon),
                pitch_deg: Math.round(view.lat * 10) / 10,
                hfov_deg: Math.round(view.hfov * 10) / 10,
              },
            })
          }
        >
          Open as the Lookout
        </button>
        {key.opening && (
          <>
            <span>
              {degrees(key.opening.heading_deg)} / {degrees(key.opening.pitch_deg)}
            </span>
            <button
              type="button"
              className="btn btn-ghost btn-xs font-normal"
              onClick={() => set({ opening: null })}
            >
              No opening view
            </button>
          </>
        )}
      </div>
    </fieldset>
  );
}
