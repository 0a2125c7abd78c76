import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../api/client";
import { NumberField } from "../parts/NumberField";
import { Problem } from "../parts/Problem";

const WIDE = 300;
const HIGH = 76;

/** How wide a sphere must be: behind a framed camera, in a headset; and where a given one looks soft. */
export function WidthPlanner({ width, onTake }: { width: number; onTake: (width: number) => void }) {
  const [frame, setFrame] = useState(1920);
  const [hfov, setHfov] = useState(60);
  const [perDegree, setPerDegree] = useState(20);
  const { data: plan, error } = useQuery({
    queryKey: ["width-plan", width, frame, hfov, perDegree],
    queryFn: () => api.widthPlan(width, frame, hfov, perDegree),
    placeholderData: (before) => before,
    gcTime: 10_000,
  });
  const take = (pixels: number, where: string) => (
    <button type="button" className="btn btn-xs font-normal" onClick={() => onTake(pixels)}>
      {pixels} px {where}
    </button>
  );
  return (
    <div className="mt-1 space-y-1.5" data-testid="planner">
      <div className="grid grid-cols-2 gap-x-3 gap-y-1">
        <NumberField label="Camera frame" unit="px" value={frame} min={1} max={100000} onChange={setFrame} />
        <NumberField
          label="Its field of view"
          unit="°"
          value={hfov}
          digits={1}
          min={1}
          max={170}
          onChange={setHfov}
        />
        <NumberField
          label="Headset"
          unit="px per °"
          value={perDegree}
          digits={1}
          min={0.1}
          max={1000}
          onChange={setPerDegree}
        />
      </div>
      <Problem error={error} />
      {plan && (
        <>
          <dl className="grid grid-cols-[auto_1fr] items-center gap-x-2 gap-y-1 text-xs">
            <dt className="text-base-content/80">Sharp behind the camera</dt>
            <dd className="flex flex-wrap gap-1">
              {take(plan.middle, "middle")}
              {take(plan.edges, "edges")}
            </dd>
            <dt className="text-base-content/80">Sharp in the headset</dt>
            <dd>{take(plan.headset, "all round")}</dd>
          </dl>
          <Chart points={plan.sharpness} width={width} />
        </>
      )}
    </div>
  );
}

/** Pixels of the sphere for each pixel of the frame, from its middle to its edge. */
function Chart({ points, width }: { points: [number, number][]; width: number }) {
  const widest = points.at(-1)?.[0] ?? 1;
  const most = Math.max(1.5, ...points.map(([, sharp]) => sharp));
  const x = (degrees: number) => 26 + (degrees / widest) * (WIDE - 34);
  const y = (sharp: number) => HIGH - 16 - (sharp / most) * (HIGH - 24);
  const soft = points.find(([, sharp]) => sharp < 1);
  const verdict =
    soft === undefined
      ? `At ${width} px it is sharp all over the frame.`
      : soft[0] === 0
        ? `At ${width} px it looks soft all over the frame.`
        : `At ${width} px it looks soft from ${soft[0].toFixed(0)}° off the middle.`;
  return (
    <figure>
      <svg
        viewBox={`0 0 ${WIDE} ${HIGH}`}
        role="img"
        aria-label={verdict}
        className="w-full text-xs tabular-nums"
      >
        <rect x={26} y={y(1)} width={WIDE - 34} height={y(0) - y(1)} className="fill-warning/15" />
        <line
          x1={26}
          x2={WIDE - 8}
          y1={y(1)}
          y2={y(1)}
          className="stroke-base-content/60"
          strokeDasharray="3 3"
        />
        <polyline
          points={points.map(([d, s]) => `${x(d)},${y(s)}`).join(" ")}
          fill="none"
          className="stroke-secondary"
          strokeWidth="2"
        />
        <text x={22} y={y(1) + 3} textAnchor="end" className="fill-base-content">
          1:1
        </text>
        <text x={26} y={HIGH - 4} className="fill-base-content">
          0° middle
        </text>
        <text x={WIDE - 8} y={HIGH - 4} textAnchor="end" className="fill-base-content">
          {widest.toFixed(0)}° edge of the frame
        </text>
      </svg>
      <figcaption className="text-xs text-base-content/80">{verdict}</figcaption>
    </figure>
  );
}
