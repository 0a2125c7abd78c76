import { api } from "../api/client";
import type { SeenInfo } from "../generated/SeenInfo";
import { useLatest } from "../parts/useLatest";

/** What a reading is asked for: the eye, the heading and pitch, whether the pointer asks, the shape of the scene. */
type ReadingKey = [readonly [number, number, number], number, number, boolean, string];

/** What lies in a direction: kept together with the direction it was read in, as it comes later than the pointer. */
export interface Reading {
  heading: number;
  pitch: number;
  pointed: boolean;
  seen: SeenInfo | null;
}

/**
 * What lies under the pointer; without a pointer the Lookout's centre is read, so that it can be done by keys. Nothing is
 * asked while there is no position, because the viewpoint moves.
 */
export function useReading(
  project: number,
  position: readonly [number, number, number] | null,
  hover: [number, number] | null,
  centre: [number, number],
  version: string,
): Reading | null {
  const place = hover ?? centre;
  const reading = useLatest<ReadingKey, Reading>(
    position && [position, place[0], place[1], hover !== null, version],
    async ([position, heading, pitch, pointed]) => ({
      heading,
      pitch,
      pointed,
      seen: await api.look(project, [...position], heading, pitch),
    }),
  );
  // What was read before the viewpoint moves is not there any more.
  return position && reading.value;
}
