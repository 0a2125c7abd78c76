import { useMutation } from "@tanstack/react-query";
import { api } from "../api/client";
import type { Project } from "../generated/Project";
import { NumberField } from "../parts/NumberField";
import { Problem } from "../parts/Problem";
import { light } from "../parts/units";

/** The exposure with the luminance that becomes middle grey, and one that the viewpoint proposes. */
export function ExposureControl({
  project,
  viewpoint,
  onChange,
}: {
  project: Project;
  viewpoint: number;
  onChange: (exposure_stops: number) => void;
}) {
  const { exposure } = project;
  const propose = useMutation({
    mutationFn: () => api.proposeExposure(project.id, viewpoint),
    onSuccess: (found) => onChange(Number(found.exposure_stops.toFixed(1))),
  });
  return (
    <div className="flex flex-wrap items-end gap-x-2 gap-y-1">
      <div className="w-28">
        <NumberField
          label="Exposure"
          unit="stops"
          value={project.settings.exposure_stops}
          digits={1}
          step={0.5}
          min={-20}
          max={20}
          onChange={onChange}
        />
      </div>
      <button
        type="button"
        className="btn btn-sm px-2.5 font-normal"
        title="Makes the mean of what this viewpoint sees middle grey; it changes by your click only."
        disabled={propose.isPending}
        onClick={() => propose.mutate()}
      >
        {propose.isPending ? "Measuring …" : "Propose"}
      </button>
      <p className="pb-0.5 text-xs leading-4 text-base-content/75" data-testid="grey">
        Middle grey is {light(exposure.grey_cd_m2)} cd/m²
        <br />
        <span title="Photographers' exposure value of a meter at ISO 100 that is pointed at the grey">
          EV {exposure.value_iso_100.toFixed(1)}, white {light(exposure.white_cd_m2)} cd/m²
        </span>
      </p>
      <Problem error={propose.error} />
    </div>
  );
}
