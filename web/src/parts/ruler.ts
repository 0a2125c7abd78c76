/** Round steps of a ruler of seconds, about ten of them. */
export function ticks(from: number, to: number): number[] {
  const least = (to - from) / 10;
  const step = [0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 30, 60, 120, 300, 600].find((s) => s >= least) ?? 3600;
  const first = Math.ceil(from / step - 1e-9);
  const count = Math.floor(to / step + 1e-9) - first + 1;
  return Array.from({ length: count }, (_, i) => (first + i) * step);
}
