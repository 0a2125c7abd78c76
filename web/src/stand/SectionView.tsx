import { useRef, useState } from "react";
import type { ClearanceInfo } from "../generated/ClearanceInfo";
import type { Pose } from "../generated/Pose";
import { degrees, length, wrapHeading } from "../parts/units";
import { PaperBase, ScaleBar, ZoomButtons } from "./PaperBase";
import { along, pointCount } from "./drawing";
import { PathKeys, PathLine } from "./PathOnPaper";
import { movedByKey, usePaper } from "./usePaper";
import type { PathState } from "./usePath";

interface Props {
  project: number;
  /** Where the scene's origin is in its file, metres. */
  offset: readonly [number, number, number];
  version: string;
  pose: Pose;
  /** Heading that the line runs to, degrees. */
  heading: number;
  clearance: ClearanceInfo | null;
  /** The viewpoint is being dragged: the cut stays where it is until it is let go. */
  moving: boolean;
  path: PathState;
  /** The height changes; the pose is moved along the line by so much too, metres. */
  /** The viewpoint is moved up and along the section by so much, metres; `end` is true when it is let go. */
  onMove: (up: number, along: number, end: boolean) => void;
  /** A click on the path's line: how far a place is from it on the paper, and the place that it means on the path. */
  onLine: (far: (place: Place) => number, put: (place: Place) => Place) => void;
}

type Place = Pose["position"];

type Drag = { kind: "eye" | "paper"; x: number; y: number };

/** The scene cut along a line through the viewpoint; height runs up. */
export function SectionView(props: Props) {
  const { pose, heading, clearance } = props;
  const [x, y, z] = pose.position;
  const drag = useRef<Drag | null>(null);
  const box = useRef<HTMLDivElement>(null);
  // The line starts where the viewpoint stood when the drag began: it must not run away under the hand.
  const [base, setBase] = useState<[number, number]>([x, z]);
  const [held, setHolding] = useState(false);
  const holding = held || props.moving;
  if (!holding && (base[0] !== x || base[1] !== z)) setBase([x, z]);
  const to = along(base[0], base[1], heading, 1);
  const view = usePaper(
    box,
    props.project,
    { from: base, to },
    { x: 0, y: -(y + 0.4), scale: 26 },
    props.version,
  );
  const [shownFor, setShownFor] = useState(y);
  if (!holding && shownFor !== y) {
    setShownFor(y);
    const top = view.toScreen(0, -y).top;
    if (top < 8 || top > view.size.h - 8) view.setPaper((c) => ({ ...c, x: 0, y: -(y + 0.4) }));
  }
  const way = [to[0] - base[0], to[1] - base[1]] as const;
  const s = (x - base[0]) * way[0] + (z - base[1]) * way[1];
  const here = view.toScreen(s, -y);
  // A path is seen from the side: how far along the line each place is, and how high.
  const onPaper = ([px, py, pz]: readonly [number, number, number]): [number, number] => [
    (px - base[0]) * way[0] + (pz - base[1]) * way[1],
    -py,
  ];
  const floor = clearance?.floor.floor_y ?? null;
  const ceiling = clearance?.floor.ceiling_y ?? null;

  const start = (e: React.PointerEvent, kind: Drag["kind"]) => {
    e.stopPropagation();
    box.current?.setPointerCapture(e.pointerId);
    drag.current = { kind, x: e.clientX, y: e.clientY };
    if (kind === "eye") setHolding(true);
  };
  const move = (e: React.PointerEvent) => {
    const d = drag.current;
    if (!d) return;
    const [dx, dy] = [(e.clientX - d.x) / view.paper.scale, (e.clientY - d.y) / view.paper.scale];
    drag.current = { ...d, x: e.clientX, y: e.clientY };
    if (d.kind === "eye") props.onMove(-dy, dx, false);
    else view.setPaper((c) => ({ ...c, x: c.x - dx, y: c.y - dy }));
  };
  const up = () => {
    if (drag.current?.kind === "eye") props.onMove(0, 0, true);
    drag.current = null;
    setHolding(false);
  };
  const line = (h: number | null) =>
    h === null ? "" : `M${s} ${-y}L${s} ${-h}M${s - 0.18} ${-h}H${s + 0.18}`;
  const label = "pointer-events-none absolute rounded bg-base-100/90 px-1 text-xs text-base-content";
  const at = (h: number) => {
    const p = view.toScreen(s, -h);
    // However far up the ceiling is, its distance stays in sight.
    return { left: p.left + 8, top: Math.min(view.size.h - 20, Math.max(4, p.top - 8)) };
  };
  const application = "application";

  return (
    <div
      ref={box}
      role={application}
      aria-label="Section. Arrow keys move it, plus and minus zoom; the eye itself is raised and lowered with its own arrow keys."
      tabIndex={0}
      data-testid="section"
      data-points={view.plan ? pointCount(view.plan) : 0}
      className="relative size-full cursor-grab touch-none overflow-hidden rounded-md border border-base-300 bg-white"
      onPointerDown={(e) => start(e, "paper")}
      onPointerMove={move}
      onPointerUp={up}
      onPointerCancel={up}
      onKeyDown={(e) => movedByKey(e, view, 40)}
    >
      <svg viewBox={view.viewBox} className="absolute inset-0 size-full" aria-hidden="true">
        <PaperBase view={view} up />
        <path
          d={line(floor) + line(ceiling)}
          fill="none"
          stroke="var(--plan-view)"
          strokeWidth="1.4"
          vectorEffect="non-scaling-stroke"
        />
        <PathLine
          path={props.path}
          at={onPaper}
          onLine={(e) => {
            e.stopPropagation();
            const at = view.toPaper(e.clientX, e.clientY);
            const far = (place: Place) => {
              const [px, py] = onPaper(place);
              return Math.hypot(px - at[0], py - at[1]);
            };
            props.onLine(far, (place) => [place[0], -at[1], place[2]]);
          }}
        />
      </svg>
      {floor !== null && (
        <span className={label} style={at((floor + y) / 2)}>
          {length(y - floor)}
        </span>
      )}
      {ceiling !== null && ceiling - y < 100 && (
        <span className={label} style={at((ceiling + y) / 2)}>
          {length(ceiling - y)}
        </span>
      )}
      <PathKeys
        offset={props.offset}
        view={view}
        path={props.path}
        at={onPaper}
        onMove={(dx, dy, end) => props.onMove(-dy, dx, end)}
      />
      <button
        type="button"
        aria-label={`Eye at a height of ${length(y)}. Drag it, or raise and lower it with the arrow keys.`}
        data-testid="eye-handle"
        className="absolute size-5 -translate-x-1/2 -translate-y-1/2 cursor-ns-resize rounded-full border-[3px] border-white bg-[#3c5570] shadow"
        style={here}
        onPointerDown={(e) => start(e, "eye")}
        onKeyDown={(e) => {
          const step = e.shiftKey ? 0.25 : 0.05;
          const by = e.key === "ArrowUp" ? step : e.key === "ArrowDown" ? -step : 0;
          if (by === 0) return;
          e.preventDefault();
          e.stopPropagation();
          // A key that is held down moves all the while; it counts when it is let go.
          props.onMove(by, 0, false);
        }}
        onKeyUp={(e) => {
          if (e.key === "ArrowUp" || e.key === "ArrowDown") props.onMove(0, 0, true);
        }}
      />
      <ScaleBar view={view} />
      <ZoomButtons view={view} what="Section" />
      <div className="pointer-events-none absolute top-1.5 left-1.5 rounded bg-base-100/90 px-1.5 py-0.5 text-xs text-base-content">
        Section, seen to {degrees(wrapHeading(heading - 90), 0)}
      </div>
    </div>
  );
}
