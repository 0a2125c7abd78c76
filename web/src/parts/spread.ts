/** Where labels go that would lie over each other. */

export interface Box {
  left: number;
  top: number;
  width: number;
  height: number;
}

const meet = (a: Box, b: Box) =>
  a.left < b.left + b.width &&
  b.left < a.left + a.width &&
  a.top < b.top + b.height &&
  b.top < a.top + a.height;

/**
 * Offsets for labels in the middle of their places, pixels: each stays where it is if it can, else it goes to the nearest free place
 * below, above or beside. `taken` is where nothing may lie.
 */
export function spread(
  labels: readonly { x: number; y: number; width: number; height: number }[],
  taken: readonly Box[],
): [number, number][] {
  const boxes = [...taken];
  return labels.map(({ x, y, width, height }) => {
    const box = ([dx, dy]: readonly [number, number]): Box => ({
      left: x + dx - width / 2,
      top: y + dy - height / 2,
      width,
      height,
    });
    const ways: [number, number][] = [[0, 0]];
    for (const step of [1, 2, 3]) {
      const [aside, down] = [(width / 2 + 8) * step, (height + 2) * step];
      ways.push(
        [0, down],
        [0, -down],
        [aside, 0],
        [-aside, 0],
        [aside, down],
        [-aside, down],
        [aside, -down],
      );
    }
    const free = ways.find((way) => boxes.every((other) => !meet(box(way), other))) ?? [0, 0];
    boxes.push(box(free));
    return free;
  });
}

/** Those of some places along an axis, in their order, that lie at least so far from the one before. */
export function apart<T>(places: readonly T[], at: (place: T) => number, least: number): T[] {
  const kept: T[] = [];
  for (const place of places) {
    const last = kept.at(-1);
    if (last === undefined || at(place) - at(last) >= least) kept.push(place);
  }
  return kept;
}
