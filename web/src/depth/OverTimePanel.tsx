import { useMutation } from "@tanstack/react-query";
import { api } from "../api/client";
import type { Rig } from "../generated/Rig";
import type { Viewpoint } from "../generated/Viewpoint";
import type { ViewpointPath } from "../generated/ViewpointPath";
import { Mark } from "../parts/Mark";
import { Problem } from "../parts/Problem";
import { SelectField } from "../parts/SelectField";
import { count, length } from "../parts/units";
import { RATES } from "../render/frames";
import { withEyes } from "../stand/path";
import { offencesOf, rangesOf, type Offence } from "./overTime";
import type { DepthFrames } from "./useDepthFrames";

interface Props {
  viewpoint: Viewpoint;
  rig: Rig;
  checked: DepthFrames;
  rate: string;
  onRate: (rate: string) => void;
  /** The way with other eyes at its keys. */
  onPath: (path: ViewpointPath) => Promise<unknown>;
  /** One of them is to be shown where it is worst. */
  onShow: (offence: Offence) => void;
}

/** Every frame of a viewpoint's way: what is beyond comfort, in which frames, and eyes that fit all of them. */
export function OverTimePanel({ viewpoint, rig, checked, rate, onRate, onPath, onShow }: Props) {
  const { frames, total, problem } = checked;
  const { path } = viewpoint;
  const fit = useMutation({
    mutationFn: async (path: ViewpointPath) => {
      const seen = frames.map((f) => ({
        time_s: f.time_s,
        nearest_m: rig.kind === "flat" ? f.nearest_m : f.very_nearest_m,
        farthest_m: f.farthest_m,
      }));
      const eyes = await api.depthFit({ path, rig, seen });
      if (!eyes) throw new Error("What is seen has no depth, so there is nothing to fit the eyes to.");
      await onPath(withEyes(path, eyes));
    },
  });
  if (rig.kind === "off")
    return <p className="text-sm text-base-content/80">One eye sees no depth; choose a pair first.</p>;
  if (total === 0)
    return (
      <p className="text-sm text-base-content/80">
        Nothing moves here. Start a path in Stand, or let the viewpoint ride on what moves in the scene; then
        every frame is checked.
      </p>
    );
  const offences = offencesOf(frames);
  const bad = frames.filter((f) => f.offenders.length > 0 || f.violations.length > 0).length;
  const whole = frames.length === total;
  return (
    <>
      <div className="flex items-end gap-3">
        <SelectField
          label="Frames a second"
          className="w-44"
          value={rate}
          options={RATES}
          onChange={onRate}
        />
        {!whole && !problem && (
          <progress className="progress mb-3 w-28 progress-secondary" value={frames.length} max={total} />
        )}
      </div>
      <p className="text-sm" data-testid="frames-checked">
        {!whole ? (
          `${count(frames.length)} of ${count(total)} frames checked …`
        ) : bad === 0 ? (
          <Mark kind="fine">
            <span className="text-base-content">
              All {count(total)} frames are comfortable
              {rig.kind === "flat" ? " within this shot’s budget" : ""}.
            </span>
          </Mark>
        ) : (
          <Mark kind="look">
            <span className="text-base-content">
              {count(bad)} of {count(total)} frames are beyond what is comfortable.
            </span>
          </Mark>
        )}
      </p>
      {path && (
        <button
          type="button"
          className="btn w-full btn-sm"
          disabled={!whole || fit.isPending}
          title={
            rig.kind === "flat"
              ? "Separation and zero parallax at each key, so that every frame stays within the budget of this shot"
              : "At each key as far apart as the nearest thing on the way there allows"
          }
          onClick={() => fit.mutate(path)}
        >
          Fit the eyes to every frame
        </button>
      )}
      <Problem error={problem ?? fit.error} />
      {offences.length > 0 && (
        <table className="table table-xs" data-testid="offences">
          <thead className="text-base-content/80">
            <tr>
              <th>Object</th>
              <th>Frames</th>
              <th className="text-right">Worst</th>
            </tr>
          </thead>
          <tbody>
            {offences.slice(0, 200).map((o) => (
              <tr key={`${o.how} ${o.object}`}>
                <td className="max-w-32">
                  <button
                    type="button"
                    className="w-full cursor-pointer truncate text-left underline-offset-2 hover:underline"
                    title={`Show frame ${o.worst.frame}`}
                    onClick={() => onShow(o)}
                  >
                    {o.object}
                  </button>
                  <span className="block text-base-content/75">{o.how}</span>
                </td>
                <td className="tabular-nums">{rangesOf(o.frames)}</td>
                <td className="text-right whitespace-nowrap tabular-nums">
                  {length(o.distance_m)}
                  <span className="block text-base-content/75">
                    {o.px !== null ? `${o.px.toFixed(1)} px` : `${(o.degrees ?? 0).toFixed(2)}°`}, frame{" "}
                    {o.worst.frame}
                  </span>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}
