import type { MeterReading } from "../generated/MeterReading";
import { light } from "../parts/units";

/** What the light meter read where the picture was clicked, or how to read it. */
export function MeterNote({
  busy,
  found,
  error,
  pointed,
}: {
  busy: boolean;
  found: MeterReading | null;
  error: Error | null;
  pointed: boolean;
}) {
  const told = () => {
    if (busy) return "measuring …";
    if (error) return error.message;
    if (found === null) return pointed ? "click to measure its light" : null;
    const falls = found.illuminance_lx === null ? "" : `, ${light(found.illuminance_lx)} lx fall on it`;
    const error_percent = found.error_percent.toFixed(found.error_percent < 10 ? 1 : 0);
    return `${found.object ?? "Sky"}: ${light(found.luminance_cd_m2)} cd/m²${falls} (± ${error_percent} %)`;
  };
  const words = told();
  return <span data-testid="meter">{words === null ? "" : ` · ${words}`}</span>;
}
