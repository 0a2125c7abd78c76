import { degrees, length, wrapHeading } from "../parts/units";
import type { Reading } from "./useReading";

/** What lies in a direction, in one line. */
export function ReadingLine({ reading }: { reading: Reading | null }) {
  return (
    <p className="ml-9 min-h-5 truncate text-xs" data-testid="reading" aria-live="off">
      {reading !== null && !reading.pointed ? "In the Lookout's centre: " : ""}
      {reading !== null &&
        `${degrees(wrapHeading(reading.heading))} / ${degrees(reading.pitch)} · ${
          reading.seen
            ? `${reading.seen.name}, ${reading.seen.material}, ${length(reading.seen.distance_m)}`
            : "nothing of the scene"
        }`}
      {reading !== null && !reading.pointed && " · point, click to pick, drag to turn"}
    </p>
  );
}
