import { useRef, useState } from "react";
import type { DepthFrame } from "../generated/DepthFrame";
import type { Rig } from "../generated/Rig";
import { ticks } from "../parts/ruler";
import { length } from "../parts/units";

const TICKS = [0.25, 0.5, 0.75, 1, 1.5, 2, 3, 5, 10, 30];
/** Height of the chart in its own units. */
const H = 100;

interface Props {
  frames: readonly DepthFrame[];
  /** How many there will be. */
  total: number;
  rig: Rig;
  /** The moment that the project shows, seconds. */
  time: number;
  /** It shall show another one. */
  onMoment: (seconds: number) => void;
}

/** What is seen over time, from the nearest to the farthest, between the allowed distances; even steps of 1/distance. */
export function DepthTimeChart({ frames, total, rig, time, onMoment }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const [held, setHeld] = useState<number | null>(null);
  const [first, second] = frames;
  const latest = frames.at(-1);
  if (!first || !latest)
    return <p className="ml-9 text-xs text-base-content/80">Looking at the first frames …</p>;
  const each = second ? second.time_s - first.time_s : 1 / 30;
  const [from, to] = [first.time_s, first.time_s + each * Math.max(1, total - 1)];
  const end =
    1.12 *
    Math.max(
      ...frames.map((f) => Math.max(1 / (f.very_nearest_m ?? Infinity), 1 / f.planes_m.nearest)),
      1e-4,
    );
  const x = (moment: number) => (100 * (moment - from)) / (to - from);
  // Near is below, infinitely far above.
  const y = (metres: number | null) => (metres === null ? 0 : H * Math.min(1, 1 / metres / end));
  const line = (of: (f: DepthFrame) => number | null) =>
    frames.map((f, i) => `${i === 0 ? "M" : "L"}${x(f.time_s).toFixed(2)} ${y(of(f)).toFixed(2)}`).join("");
  const area = (above: (f: DepthFrame) => number | null, below: (f: DepthFrame) => number | null) =>
    `${line(above)}${frames
      .toReversed()
      .map((f) => `L${x(f.time_s).toFixed(2)} ${y(below(f)).toFixed(2)}`)
      .join("")}Z`;
  // Marks that do not touch each other, from near to far.
  const marks = TICKS.filter((m) => y(m) > 7 && y(m) < 97).filter(
    (m, i, all) => i === 0 || y(all[i - 1] ?? m) - y(m) > 8.5,
  );
  const bad = frames.filter((f) => f.offenders.length > 0 || f.violations.length > 0);
  const flat = rig.kind === "flat";
  const within = (moment: number) => Math.min(to, Math.max(from, moment));
  const momentOf = (e: React.PointerEvent) => {
    const at = box.current?.getBoundingClientRect();
    const moment = at ? from + ((e.clientX - at.left) / at.width) * (to - from) : from;
    // A moment that a frame shows.
    return within(from + each * Math.round((moment - from) / each));
  };
  const shown = held ?? within(time);
  const there = frames.find((f) => f.time_s >= shown - each / 2);
  const keys = (e: React.KeyboardEvent) => {
    const step = each * (e.shiftKey ? 10 : 1);
    const next = {
      ArrowLeft: shown - step,
      ArrowDown: shown - step,
      ArrowRight: shown + step,
      ArrowUp: shown + step,
      Home: from,
      End: to,
    }[e.key];
    if (next === undefined) return;
    e.preventDefault();
    setHeld(within(next));
  };
  const letGo = (moment: number) => {
    setHeld(null);
    onMoment(Number(moment.toFixed(4)));
  };
  return (
    <figure
      className="m-0 ml-9 flex min-h-32 flex-1 flex-col"
      aria-label="Depth over time"
      data-testid="depth-over-time"
    >
      <div className="flex min-h-24 flex-1 gap-1">
        <div className="relative w-12 text-xs text-base-content/80" aria-hidden="true">
          {marks.map((m) => (
            <span key={m} className="absolute right-0 -translate-y-1/2" style={{ top: `${y(m)}%` }}>
              {length(m)}
            </span>
          ))}
          <span className="absolute top-0 right-0 leading-none">∞</span>
        </div>
        <div
          ref={box}
          className="relative min-w-0 flex-1 cursor-ew-resize touch-none overflow-hidden rounded-md border border-base-300 bg-base-100"
          role="slider"
          tabIndex={0}
          aria-label="Moment"
          aria-valuemin={Number(from.toFixed(3))}
          aria-valuemax={Number(to.toFixed(3))}
          aria-valuenow={Number(shown.toFixed(3))}
          aria-valuetext={`${shown.toFixed(2)} s, frame ${there?.frame ?? first.frame}`}
          onPointerDown={(e) => {
            e.currentTarget.setPointerCapture(e.pointerId);
            setHeld(momentOf(e));
          }}
          onPointerMove={(e) => e.currentTarget.hasPointerCapture(e.pointerId) && setHeld(momentOf(e))}
          onPointerUp={(e) => letGo(momentOf(e))}
          onPointerCancel={() => setHeld(null)}
          onKeyDown={keys}
          onKeyUp={() => held !== null && letGo(held)}
        >
          <svg
            viewBox={`0 0 100 ${H}`}
            preserveAspectRatio="none"
            className="absolute inset-0 size-full"
            aria-hidden="true"
          >
            <path
              d={area(
                (f) => f.planes_m.farthest,
                (f) => f.planes_m.nearest,
              )}
              className="fill-success/15"
            />
            <path
              d={area(
                (f) => f.farthest_m,
                (f) => f.nearest_m,
              )}
              className="fill-secondary/30"
            />
            {bad.map((f) => (
              <rect
                key={f.frame}
                x={x(f.time_s) - (50 * each) / (to - from)}
                width={Math.max(0.25, (100 * each) / (to - from))}
                y={H - 5}
                height={5}
                className="fill-error"
              />
            ))}
            <g fill="none" vectorEffect="non-scaling-stroke">
              {[
                [line((f) => f.very_nearest_m), "stroke-secondary", ""],
                [line((f) => f.planes_m.nearest), "stroke-success", "6 3"],
                ...(flat ? [[line((f) => f.planes_m.farthest), "stroke-success", "6 3"] as const] : []),
                ...(first.convergence_m === null
                  ? []
                  : [[line((f) => f.convergence_m), "stroke-primary", ""] as const]),
              ].map(([d, colour, dash]) => (
                <path
                  key={`${d} ${colour}`}
                  d={d}
                  className={colour}
                  strokeWidth="1.6"
                  strokeDasharray={dash}
                  vectorEffect="non-scaling-stroke"
                />
              ))}
            </g>
          </svg>
          <span
            className="pointer-events-none absolute inset-y-0 w-0.5 -translate-x-1/2 bg-base-content"
            style={{ left: `${x(shown)}%` }}
          />
        </div>
      </div>
      <div className="relative ml-13 h-5 text-xs text-base-content/80" aria-hidden="true">
        {ticks(from, to).map((t) => (
          <span
            key={t}
            className={`absolute whitespace-nowrap ${x(t) > 96 ? "-translate-x-full" : x(t) > 2 ? "-translate-x-1/2" : ""}`}
            style={{ left: `${x(t)}%` }}
          >
            {Number(t.toFixed(1))} s
          </span>
        ))}
      </div>
      <figcaption className="text-xs text-base-content/80" data-testid="depth-moment">
        <span className="font-semibold text-base-content">
          Frame {there?.frame ?? first.frame}, {shown.toFixed(2)} s:
        </span>{" "}
        {there?.nearest
          ? `nearest ${length(there.very_nearest_m ?? 0)} (${there.nearest}), allowed from ${length(there.planes_m.nearest)}${there.planes_m.farthest === null ? "" : ` to ${length(there.planes_m.farthest)}`} on`
          : "nothing is seen"}
        . Grey is what is seen, green what is comfortable
        {first.convergence_m !== null && ", orange zero parallax"}, red below are frames beyond it; near is
        below.
      </figcaption>
    </figure>
  );
}
