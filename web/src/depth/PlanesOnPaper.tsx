import { sceneKey } from "../scene/sceneKey";
import { useRef, type PointerEvent, type ReactNode } from "react";
import type { DepthInfo } from "../generated/DepthInfo";
import type { Pose } from "../generated/Pose";
import type { Project } from "../generated/Project";
import type { WhichPlane } from "../generated/WhichPlane";
import { length } from "../parts/units";
import { PaperBase, ScaleBar, ZoomButtons } from "../stand/PaperBase";
import { along, pointCount } from "../stand/drawing";
import { movedByKey, usePaper, type PaperView } from "../stand/usePaper";

const NAMES: Record<WhichPlane, string> = {
  nearest: "nearest",
  zero: "zero parallax",
  farthest: "farthest",
};
const LOOKS: Record<WhichPlane, { stroke: string; dash?: string }> = {
  nearest: { stroke: "var(--plan-near)", dash: "6 3" },
  zero: { stroke: "var(--plan-view)" },
  farthest: { stroke: "var(--plan-near)", dash: "2 3" },
};

type Line = [[number, number], [number, number]];
interface Drawn {
  eye: [number, number];
  /** Far ends of the frame's edges. */
  frame: Line | null;
  planes: { which: WhichPlane; distance: number; line: Line }[];
  /** Of a panoramic pair: nearest comfortable distance all round, metres. */
  ring: number | null;
}

/** A cut of the scene with the frame and its planes over it; panned and zoomed. */
function Paper({
  view,
  box,
  up,
  label,
  drawn,
  children,
}: {
  view: PaperView;
  box: React.RefObject<HTMLDivElement | null>;
  up: boolean;
  label: string;
  drawn: Drawn;
  children: ReactNode;
}) {
  const drag = useRef<[number, number] | null>(null);
  const move = (e: PointerEvent) => {
    if (!drag.current) return;
    const [x, y] = drag.current;
    const [dx, dy] = [(e.clientX - x) / view.paper.scale, (e.clientY - y) / view.paper.scale];
    drag.current = [e.clientX, e.clientY];
    view.setPaper((c) => ({ ...c, x: c.x - dx, y: c.y - dy }));
  };
  const sign = up ? -1 : 1;
  const at = ([x, y]: [number, number]) => `${x} ${sign * y}`;
  const { eye, frame, planes, ring } = drawn;
  const application = "application";
  return (
    <div
      ref={box}
      role={application}
      aria-label={`${label}. Arrow keys move it, plus and minus zoom.`}
      tabIndex={0}
      data-testid={up ? "section-planes" : "plan-planes"}
      data-points={view.plan ? pointCount(view.plan) : 0}
      className="relative h-[45vh] cursor-grab touch-none overflow-hidden rounded-md border border-base-300 bg-(--paper)"
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        drag.current = [e.clientX, e.clientY];
      }}
      onPointerMove={move}
      onPointerUp={() => (drag.current = null)}
      onPointerCancel={() => (drag.current = null)}
      onKeyDown={(e) => movedByKey(e, view, 40)}
    >
      <svg viewBox={view.viewBox} className="absolute inset-0 size-full" aria-hidden="true">
        <PaperBase view={view} up={up} />
        {frame && (
          <path
            d={`M${at(frame[0])}L${at(eye)}L${at(frame[1])}`}
            fill="var(--plan-view)"
            fillOpacity="0.07"
            stroke="var(--plan-view)"
            strokeWidth="1"
            vectorEffect="non-scaling-stroke"
          />
        )}
        {ring !== null && (
          <circle
            cx={eye[0]}
            cy={sign * eye[1]}
            r={ring}
            fill="#f0a020"
            fillOpacity="0.12"
            stroke="var(--plan-near)"
            strokeWidth="1.4"
            strokeDasharray="6 3"
            vectorEffect="non-scaling-stroke"
          />
        )}
        {planes.map(({ which, line }) => (
          <path
            key={which}
            d={`M${at(line[0])}L${at(line[1])}`}
            stroke={LOOKS[which].stroke}
            strokeDasharray={LOOKS[which].dash}
            strokeWidth="2"
            vectorEffect="non-scaling-stroke"
            data-plane={which}
          />
        ))}
        <circle
          cx={eye[0]}
          cy={sign * eye[1]}
          r={5 / view.paper.scale}
          fill="var(--plan-view)"
          stroke="#fff"
          strokeWidth="2"
          vectorEffect="non-scaling-stroke"
        />
      </svg>
      {planes.map(({ which, distance, line }, i) => {
        // Names stand at one end each, so that planes near each other do not cover each other's.
        const [x, y] = line[up ? 1 : i % 2] ?? line[1];
        const place = view.toScreen(x, sign * y);
        if (place.left < 0 || place.top < 0 || place.left > view.size.w || place.top > view.size.h)
          return null;
        return (
          <span
            key={which}
            className="pointer-events-none absolute -translate-x-1/2 rounded bg-base-100/90 px-1 text-xs whitespace-nowrap text-base-content"
            style={{
              left: Math.min(view.size.w - 50, Math.max(50, place.left)),
              top: Math.min(view.size.h - 20, Math.max(4, place.top - (up ? 20 + i * 15 : 8))),
            }}
          >
            {NAMES[which]} {length(distance)}
          </span>
        );
      })}
      <ScaleBar view={view} />
      <ZoomButtons view={view} what={label} />
      <div className="pointer-events-none absolute top-1.5 right-1.5 rounded bg-base-100/90 px-1.5 py-0.5 text-xs text-base-content">
        {children}
      </div>
    </div>
  );
}

/** Plan at the eye's height and section along the view, with the frame and the planes of depth. */
export function PlanesOnPaper({
  project,
  pose,
  depth,
  note,
}: {
  project: Project;
  pose: Pose;
  depth: DepthInfo | null;
  note: ReactNode;
}) {
  const [x, y, z] = pose.position;
  const { unit, time_s, moves, up } = project.settings;
  const version = JSON.stringify([sceneKey(project.scene), unit, time_s, moves, up]);
  const [planBox, sectionBox] = [useRef<HTMLDivElement>(null), useRef<HTMLDivElement>(null)];
  const to = along(x, z, pose.heading_deg, 1);
  const zero = depth?.planes_m.zero ?? 3;
  // What lies between the eye and a little behind zero parallax fills the paper.
  const scale = Math.min(200, Math.max(4, 140 / Math.max(zero, 0.5)));
  const [ahead_x, ahead_z] = along(x, z, pose.heading_deg, zero);
  const plan = usePaper(
    planBox,
    project.id,
    { y },
    { x: (x + ahead_x) / 2, y: (z + ahead_z) / 2, scale },
    version,
  );
  const section = usePaper(
    sectionBox,
    project.id,
    { from: [x, z], to },
    { x: zero / 2, y: -y, scale },
    version,
  );
  const lines = depth?.lines ?? null;
  const ring = lines ? null : (depth?.planes_m.nearest ?? null);
  const lift = ([s, h]: [number, number]): [number, number] => [s, h + y];
  const inPlan: Drawn = {
    eye: [x, z],
    frame: lines?.plan ?? null,
    planes: (lines?.planes ?? []).map((p) => ({ which: p.which, distance: p.distance_m, line: p.plan })),
    ring,
  };
  const inSection: Drawn = {
    eye: [0, y],
    frame: lines ? [lift(lines.section[0]), lift(lines.section[1])] : null,
    planes: (lines?.planes ?? []).map((p) => ({
      which: p.which,
      distance: p.distance_m,
      line: [lift(p.section[0]), lift(p.section[1])],
    })),
    ring,
  };
  return (
    <div className="ml-9" data-testid="planes-on-paper">
      <div className="grid grid-cols-2 gap-2">
        <Paper view={plan} box={planBox} up={false} label="Plan" drawn={inPlan}>
          Plan at the eye’s height
        </Paper>
        <Paper view={section} box={sectionBox} up label="Section" drawn={inSection}>
          Section along the view
        </Paper>
      </div>
      <p className="flex min-h-6 flex-wrap gap-x-4 pt-1 text-xs text-base-content/80">
        <span>
          {lines
            ? "The frame with the nearest and farthest plane allowed (dashed, dotted) and zero parallax (whole line)."
            : ring !== null
              ? "What stands within the dashed circle is nearer than is comfortable."
              : ""}
        </span>
        {note}
      </p>
    </div>
  );
}
