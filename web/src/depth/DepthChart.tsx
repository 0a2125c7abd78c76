import { useState, type KeyboardEvent, type PointerEvent } from "react";
import { api } from "../api/client";
import type { DepthInfo } from "../generated/DepthInfo";
import type { Project } from "../generated/Project";
import type { Rig } from "../generated/Rig";
import type { Viewpoint } from "../generated/Viewpoint";
import { apart } from "../parts/spread";
import { length } from "../parts/units";
import { ChartBars } from "./ChartBars";

const TICKS = [0.25, 0.5, 0.75, 1, 1.5, 2, 3, 5, 10, 30];
/** Farthest that zero parallax is put, metres; it stands for infinity where a number must be told. */
const FARTHEST = 100_000;

/** How far apart labels of the axis are at least, percent of it. */
const LABEL = 9;

type Plane = "nearest" | "farthest";

/** What is seen as share of the picture over distance; the axis is even in 1/distance, so that parallax is even along it. */
export function DepthChart({
  project,
  viewpoint,
  depth,
  rig,
  onConverge,
  onRig,
  onProblem,
}: {
  project: Project;
  viewpoint: Viewpoint;
  depth: DepthInfo;
  rig: Rig;
  /** Zero parallax is put at a distance, metres; `end` when it is let go. */
  onConverge: (metres: number, end: boolean) => void;
  onRig: (to: Rig) => void;
  onProblem: (problem: unknown) => void;
}) {
  const end = depth.chart_end;
  const [held, setHeld] = useState<{ plane: Plane; metres: number } | null>(null);
  /** Near is at the left, infinity at the right edge, 0 to 100. */
  const at = (metres: number | null) => (metres === null ? 100 : Math.max(0, 100 * (1 - 1 / metres / end)));
  const flat = rig.kind === "flat";
  const { nearest, farthest, zero } = depth.planes_m;
  const distance = (e: PointerEvent): number => {
    const box = e.currentTarget.closest("[data-chart]")?.getBoundingClientRect();
    if (!box) return 1;
    const share = Math.min(0.999, Math.max(0, (e.clientX - box.left) / box.width));
    return 1 / ((1 - share) * end);
  };
  /** The pair that fits the budget between two distances. */
  const fit = (near: number, far: number) => {
    void api
      .depth(project.id, { pose: viewpoint.pose, rig, planes_m: [near, far] })
      .then(({ planes_fit }) => {
        if (!planes_fit) return;
        onRig({
          ...rig,
          separation_m: Number((planes_fit.separation_m / rig.scale).toPrecision(6)),
          flat: { ...rig.flat, converge_m: Number(planes_fit.convergence_m.toPrecision(6)) },
        });
      })
      .catch(onProblem);
  };
  const setPlane = (plane: Plane, metres: number) => {
    // Infinity is told as a very great distance.
    const far = farthest ?? FARTHEST * 1e4;
    if (plane === "nearest" && metres < far) fit(metres, far);
    if (plane === "farthest" && metres > nearest) fit(nearest, metres);
  };
  const step = (e: KeyboardEvent, from: number | null, set: (metres: number) => void) => {
    const by = { ArrowLeft: 1, ArrowDown: 1, ArrowRight: -1, ArrowUp: -1 }[e.key];
    if (by === undefined) return;
    e.preventDefault();
    const inverse = (from === null ? 0 : 1 / from) + (by * end * (e.shiftKey ? 10 : 1)) / 200;
    if (inverse > 1e-6 && inverse < end) set(1 / inverse);
  };
  const handle = (
    name: string,
    metres: number | null,
    className: string,
    move: (metres: number, done: boolean) => void,
  ) => (
    <div
      className={`absolute inset-y-0 w-4 -translate-x-1/2 cursor-ew-resize touch-none ${className}`}
      style={{ left: `${at(metres)}%` }}
      role="slider"
      tabIndex={0}
      aria-label={name}
      aria-valuemin={0}
      aria-valuemax={FARTHEST}
      aria-valuenow={Number((metres ?? FARTHEST).toFixed(2))}
      aria-valuetext={metres === null ? "infinity" : length(metres)}
      onPointerDown={(e) => e.currentTarget.setPointerCapture(e.pointerId)}
      onPointerMove={(e) => e.currentTarget.hasPointerCapture(e.pointerId) && move(distance(e), false)}
      onPointerUp={(e) => move(distance(e), true)}
      onKeyDown={(e) => step(e, metres, (to) => move(to, true))}
    >
      <div className="mx-auto h-full w-[3px] bg-current" />
      <span
        className={`absolute top-0 rounded ${at(metres) > 88 ? "right-1/2" : at(metres) < 10 ? "left-1/2" : "left-1/2 -translate-x-1/2"} bg-base-100/90 px-1 text-xs whitespace-nowrap text-base-content`}
      >
        {name} {metres === null ? "∞" : length(metres)}
      </span>
    </div>
  );
  const heldAt = (plane: Plane, metres: number | null) => (held?.plane === plane ? held.metres : metres);
  const plane = (which: Plane, metres: number | null) =>
    handle(
      which === "nearest" ? "nearest" : "farthest",
      heldAt(which, metres),
      "top-5 text-warning",
      (to, done) => {
        setHeld(done ? null : { plane: which, metres: to });
        if (done) setPlane(which, to);
      },
    );
  return (
    <figure
      className="m-0 ml-9 flex min-h-32 flex-1 flex-col"
      aria-label="Depth chart"
      data-testid="depth-chart"
    >
      <div className="relative min-h-24 flex-1 overflow-hidden rounded-md border border-base-300" data-chart>
        {/* The first share is the farthest. */}
        <ChartBars shares={depth.chart.toReversed()} near={at(nearest)} far={at(farthest)} />
        {zero !== null && rig.kind !== "off" && handle("zero parallax", zero, "text-primary", onConverge)}
        {flat && plane("nearest", nearest)}
        {flat && plane("farthest", farthest)}
      </div>
      <div className="relative h-5 text-xs text-base-content/80" aria-hidden="true">
        {apart(
          TICKS.filter((m) => at(m) > 3 && at(m) < 94),
          at,
          LABEL,
        ).map((m) => (
          <span key={m} className="absolute -translate-x-1/2" style={{ left: `${at(m)}%` }}>
            {length(m)}
          </span>
        ))}
        <span className="absolute right-0">∞</span>
      </div>
      <figcaption className="text-xs text-base-content/80">
        Share of the picture over distance; even steps of 1/distance, so parallax is even along it. Green is
        comfortable{flat ? " within this shot’s budget" : ""}.
        {depth.open > 0.0005 && ` ${(depth.open * 100).toFixed(1)} % is open and infinitely far.`}
      </figcaption>
    </figure>
  );
}
