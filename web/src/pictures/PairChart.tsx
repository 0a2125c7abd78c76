import { ChartBars } from "../depth/ChartBars";
import type { PairCheckInfo } from "../generated/PairCheckInfo";
import { length } from "../parts/units";

/** Round steps of pixels, some eight along the axis. */
function ticks([from, to]: [number, number]): number[] {
  const rough = (to - from) / 8;
  const power = 10 ** Math.floor(Math.log10(rough));
  const step = ([1, 2, 5].find((k) => k * power >= rough) ?? 10) * power;
  const first = Math.ceil(from / step);
  return Array.from({ length: Math.floor(to / step) - first + 1 }, (_, i) => (first + i) * step);
}

/** How far things are apart in a pair, estimated from its pictures: the chart of the Depth stage, from near to far. */
export function PairChart({ found }: { found: PairCheckInfo }) {
  const [from, to] = found.chart_px;
  const at = (px: number) => (100 * (px - from)) / (to - from);
  const degrees = (px: number) => (Math.abs(px) / found.width) * 360;
  const far = found.parallax_px?.[1];
  const near = found.parallax_px?.[0];
  const told = (px: number) => `${px.toFixed(1)} px${found.round ? ` (${degrees(px).toFixed(2)}°)` : ""}`;
  return (
    <figure className="m-0" aria-label="Chart of the parallax" data-testid="pair-chart">
      <div className="relative h-28 overflow-hidden rounded-md border border-base-300">
        <ChartBars shares={found.chart} near={at(-found.most_px)} far={at(found.most_px)} />
        <div className="absolute inset-y-0 w-px bg-primary" style={{ left: `${at(0)}%` }} />
        <span
          className="absolute top-1 -translate-x-1/2 rounded bg-base-100/90 px-1 text-xs whitespace-nowrap"
          style={{ left: `${at(0)}%` }}
        >
          {found.round ? "zero parallax: infinity for parallel eyes" : "zero parallax: the screen"}
        </span>
      </div>
      <div className="relative h-5 text-xs text-base-content/80" aria-hidden="true">
        {ticks([from, to])
          .filter((px) => at(px) > 3 && at(px) < 97)
          .map((px) => (
            <span
              key={px}
              className="absolute -translate-x-1/2 whitespace-nowrap"
              style={{ left: `${at(px)}%` }}
            >
              {Number(px.toPrecision(3))} px
            </span>
          ))}
      </div>
      <figcaption className="text-xs text-base-content/80">
        Share of {found.matched} matched places over their parallax, near at the left. Green is comfortable.
        {near !== undefined && far !== undefined && ` From ${told(near)} to ${told(far)}.`}
        {found.nearest_m !== null &&
          ` For parallel eyes 63 mm apart the nearest is ${length(found.nearest_m)} away.`}
      </figcaption>
    </figure>
  );
}
