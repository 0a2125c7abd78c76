import { spread } from "../parts/spread";
import { useRef, useState } from "react";
import type { ClearanceInfo } from "../generated/ClearanceInfo";
import type { FindingInfo } from "../generated/FindingInfo";
import type { MoverInfo } from "../generated/MoverInfo";
import type { Pose } from "../generated/Pose";
import type { SightLine } from "../generated/SightLine";
import type { Viewpoint } from "../generated/Viewpoint";
import { degrees, length, wrapHeading } from "../parts/units";
import { LevelSign, colours as markColours } from "./HorizonMarks";
import { PaperBase, ScaleBar, ZoomButtons } from "./PaperBase";
import { along, headingTo, pointCount, ringPath, wedgePath } from "./drawing";
import { PathKeys, PathLine } from "./PathOnPaper";
import { movedByKey, usePaper } from "./usePaper";
import type { PathState } from "./usePath";

interface Props {
  project: number;
  /** Where the scene's origin is in its file, metres. */
  offset: readonly [number, number, number];
  /** Changes when the scene does. */
  version: string;
  viewpoints: Viewpoint[];
  chosen: number;
  pose: Pose;
  /** Height of the cut, metres. */
  cut: number;
  hfov: number;
  clearance: ClearanceInfo | null;
  findings: FindingInfo[];
  /** Space wanted beside the viewer, metres. */
  beside: number;
  sights: SightLine[];
  movers: MoverInfo[];
  picked: [number, number, number] | null;
  path: PathState;
  /** Heading of the section's line, degrees. */
  section: number;
  /** The next click adds a viewpoint. */
  adding: boolean;
  onChoose: (id: number) => void;
  /** The chosen viewpoint is moved by so much, metres; `end` is true when it is let go. */
  onMove: (dx: number, dz: number, end: boolean) => void;
  onAdd: (x: number, z: number) => void;
  /** A click on the path's line: how far a place is from it, and the place that it means on the path. */
  onLine: (far: (place: Place) => number, put: (place: Place) => Place) => void;
  /** A click on the plan: the surface in that heading is meant. */
  onPick: (heading: number) => void;
  onSection: (heading: number) => void;
}

type Place = Pose["position"];

type Drag = { kind: "viewpoint" | "paper" | "section"; x: number; y: number; moved: boolean };

/** Less than this is a click, pixels. */
const STILL = 4;
/** A chosen viewpoint nearer to the edge than this comes to the middle, pixels. */
const EDGE = 70;
const DUSK = "var(--plan-view)";

/** Width of a letter of a name, about, and of the widest name that is shown; pixels. */
const LETTER = 6.6;
const WIDEST_NAME = 150;

/** The scene cut at a height and seen from above; north (heading 0) is up. */
export function PlanView(props: Props) {
  const { pose, viewpoints, chosen, clearance, section, onMove } = props;
  const [x, , z] = pose.position;
  const box = useRef<HTMLDivElement>(null);
  const view = usePaper(box, props.project, { y: props.cut }, { x, y: z, scale: 26 }, props.version);
  const { paper, toScreen } = view;
  const drag = useRef<Drag | null>(null);
  // Where a drag began, for telling how far it went.
  const [from, setFrom] = useState<[number, number] | null>(null);
  const [shownFor, setShownFor] = useState(chosen);
  // Another viewpoint may stand outside of what is shown.
  if (shownFor !== chosen) {
    setShownFor(chosen);
    const at = toScreen(x, z);
    if (at.left < EDGE || at.top < EDGE || at.left > view.size.w - EDGE || at.top > view.size.h - EDGE)
      view.setPaper((c) => ({ ...c, x, y: z }));
  }

  const start = (e: React.PointerEvent, kind: Drag["kind"]) => {
    e.stopPropagation();
    box.current?.setPointerCapture(e.pointerId);
    drag.current = { kind, x: e.clientX, y: e.clientY, moved: false };
    if (kind === "viewpoint") setFrom([x, z]);
  };
  const move = (e: React.PointerEvent) => {
    const d = drag.current;
    if (!d || (!d.moved && Math.hypot(e.clientX - d.x, e.clientY - d.y) < STILL)) return;
    const [dx, dy] = [(e.clientX - d.x) / paper.scale, (e.clientY - d.y) / paper.scale];
    drag.current = { ...d, x: e.clientX, y: e.clientY, moved: true };
    if (d.kind === "viewpoint") onMove(dx, dy, false);
    else if (d.kind === "paper") view.setPaper((c) => ({ ...c, x: c.x - dx, y: c.y - dy }));
    else {
      const [px, pz] = view.toPaper(e.clientX, e.clientY);
      props.onSection(wrapHeading(Math.round(headingTo(x, z, px, pz))));
    }
  };
  const up = (e: React.PointerEvent) => {
    const d = drag.current;
    drag.current = null;
    setFrom(null);
    if (!d) return;
    if (d.kind === "viewpoint" && d.moved) onMove(0, 0, true);
    if (d.kind === "paper" && !d.moved) {
      const [px, pz] = view.toPaper(e.clientX, e.clientY);
      if (props.adding) props.onAdd(px, pz);
      else props.onPick(headingTo(x, z, px, pz));
    }
  };
  // Taken away in the middle of a drag (another gesture, another window): the viewpoint stays where it is by now.
  const cancel = () => {
    const d = drag.current;
    drag.current = null;
    setFrom(null);
    if (d?.kind === "viewpoint" && d.moved) onMove(0, 0, true);
  };
  const keys = (e: React.KeyboardEvent) => {
    const step = e.shiftKey ? 0.5 : 0.1;
    const by = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] }[
      e.key
    ];
    if (!by) return;
    e.preventDefault();
    e.stopPropagation();
    // A key that is held down moves all the while; it counts when it is let go.
    onMove(by[0] ?? 0, by[1] ?? 0, false);
  };
  const keysUp = (e: React.KeyboardEvent) => {
    if (e.key.startsWith("Arrow")) onMove(0, 0, true);
  };
  const pan = (e: React.KeyboardEvent) => {
    if (movedByKey(e, view, 60) || e.key !== "Enter" || !props.adding) return;
    props.onAdd(paper.x, paper.y);
    e.preventDefault();
  };

  const here = toScreen(x, z);
  const nearest = clearance?.nearest ?? null;
  const ring = clearance?.ring ?? [];
  // The ring is drawn no farther than is of use for standing.
  const body = ring.map((r) => Math.min(r, 6));
  const [ax, az] = along(x, z, section, -400 / paper.scale);
  const [bx, bz] = along(x, z, section, 400 / paper.scale);
  const others = viewpoints.filter((v) => v.id !== chosen);
  const labels = others.map((v) => {
    const { left, top } = toScreen(v.pose.position[0], v.pose.position[2]);
    return { x: left, y: top, width: Math.min(WIDEST_NAME, v.name.length * LETTER + 18), height: 22 };
  });
  const aside = spread(labels, [
    { left: here.left - 14, top: here.top - 14, width: 28, height: 28 },
    ...(nearest ? [{ left: here.left + 14, top: here.top + 10, width: 150, height: 20 }] : []),
  ]);
  const grip = toScreen(...along(x, z, section, 96 / paper.scale));
  const place = (id: number) => viewpoints.find((v) => v.id === id)?.pose.position;
  const spot = (f: FindingInfo): [number, number] | null => {
    if (f.heading_deg === null || ring.length === 0) return null;
    const far = ring[Math.round(f.heading_deg / (360 / ring.length)) % ring.length] ?? 0;
    return along(x, z, f.heading_deg, Math.min(far, 30));
  };
  const application = "application";

  return (
    <div
      ref={box}
      data-testid="plan"
      data-points={view.plan ? pointCount(view.plan) : 0}
      data-solids={view.plan?.solids.length ?? 0}
      role={application}
      aria-label="Plan. Arrow keys move it, plus and minus zoom; the viewpoint itself is moved with its own arrow keys."
      tabIndex={0}
      className={`relative size-full touch-none overflow-hidden rounded-md border border-base-300 bg-[var(--paper)] ${props.adding ? "cursor-copy" : "cursor-grab"}`}
      onPointerDown={(e) => start(e, "paper")}
      onPointerMove={move}
      onPointerUp={up}
      onPointerCancel={cancel}
      onKeyDown={pan}
    >
      <svg viewBox={view.viewBox} className="absolute inset-0 size-full" aria-hidden="true">
        <PaperBase view={view} up={false} />
        <path
          d={`M${ax} ${az}L${bx} ${bz}`}
          stroke="var(--plan-near)"
          strokeWidth="1.2"
          strokeDasharray="9 3 2 3"
          fill="none"
          vectorEffect="non-scaling-stroke"
        />
        {props.movers.map((m) => (
          <path
            key={m.node}
            d={m.points.map((p, i) => `${i === 0 ? "M" : "L"}${p[0]} ${p[2]}`).join("")}
            fill="none"
            stroke={DUSK}
            strokeOpacity="0.75"
            strokeWidth="1.8"
            strokeDasharray="1 4"
            strokeLinecap="round"
            vectorEffect="non-scaling-stroke"
            data-testid="path"
          />
        ))}
        {props.sights.map((s) => {
          const [a, b] = [place(s.from), place(s.to)];
          if (!a || !b) return null;
          return (
            <path
              key={`${s.from}-${s.to}`}
              d={`M${a[0]} ${a[2]}L${b[0]} ${b[2]}`}
              stroke={s.between === null ? "var(--plan-free)" : "var(--plan-stop)"}
              strokeWidth={s.between === null ? 2 : 1.2}
              strokeDasharray={s.between === null ? undefined : "3 5"}
              vectorEffect="non-scaling-stroke"
              data-testid="sight-line"
            />
          );
        })}
        {body.length > 0 && (
          <path
            d={ringPath(x, z, body)}
            fill="var(--plan-free)"
            fillOpacity="0.16"
            stroke="var(--plan-free)"
            strokeWidth="1.4"
            vectorEffect="non-scaling-stroke"
            data-testid="ring"
          />
        )}
        <circle
          cx={x}
          cy={z}
          r={props.beside}
          fill="none"
          stroke={Math.min(...ring, 1e9) < props.beside ? "var(--plan-stop)" : "var(--plan-free)"}
          strokeWidth="1.2"
          strokeDasharray="2 2"
          vectorEffect="non-scaling-stroke"
        />
        {nearest && (
          <path
            d={`M${x} ${z}L${nearest.point[0]} ${nearest.point[2]}`}
            stroke="var(--plan-near)"
            strokeWidth="1.6"
            vectorEffect="non-scaling-stroke"
          />
        )}
        <PathLine
          path={props.path}
          at={([px, , pz]) => [px, pz]}
          onLine={(e) => {
            e.stopPropagation();
            const [px, pz] = view.toPaper(e.clientX, e.clientY);
            props.onLine(
              (place) => Math.hypot(place[0] - px, place[2] - pz),
              (place) => [px, place[1], pz],
            );
          }}
        />
        {from && (
          <path
            d={`M${from[0]} ${from[1]}L${x} ${z}`}
            stroke={DUSK}
            strokeWidth="1.2"
            strokeDasharray="4 3"
            vectorEffect="non-scaling-stroke"
          />
        )}
      </svg>
      {others.map((v, i) => {
        const [dx, dy] = aside[i] ?? [0, 0];
        return (
          <div key={v.id} className="absolute" style={toScreen(v.pose.position[0], v.pose.position[2])}>
            <svg
              className="pointer-events-none absolute overflow-visible"
              width="1"
              height="1"
              aria-hidden="true"
            >
              {(dx !== 0 || dy !== 0) && (
                <path d={`M0 0L${dx} ${dy}`} stroke={DUSK} strokeWidth="1" strokeOpacity="0.7" />
              )}
              <g transform={`rotate(${v.pose.heading_deg})`}>
                <path d={wedgePath(26, 30)} fill={DUSK} fillOpacity="0.2" stroke={DUSK} strokeOpacity="0.6" />
              </g>
            </svg>
            <button
              type="button"
              className="absolute -translate-x-1/2 -translate-y-1/2 rounded-full border border-(--plan-view) bg-base-100/90 px-2 py-0.5 text-xs text-base-content"
              style={{
                left: dx,
                top: dy,
                maxWidth: WIDEST_NAME,
                textOverflow: "ellipsis",
                overflow: "hidden",
                whiteSpace: "nowrap",
              }}
              title={v.name}
              onPointerDown={(e) => e.stopPropagation()}
              onClick={() => props.onChoose(v.id)}
            >
              {v.name}
            </button>
          </div>
        );
      })}
      <svg
        className="pointer-events-none absolute overflow-visible"
        style={here}
        width="1"
        height="1"
        aria-hidden="true"
      >
        <g transform={`rotate(${pose.heading_deg})`}>
          <path
            d={wedgePath(64, props.hfov / 2)}
            fill={DUSK}
            fillOpacity="0.22"
            stroke={DUSK}
            strokeWidth="1.2"
          />
        </g>
      </svg>
      {props.findings.map((f) => {
        const at = spot(f);
        return (
          at && (
            <span
              key={`${f.rule}-${f.what}`}
              className="pointer-events-none absolute -translate-x-1/2 -translate-y-1/2"
              style={toScreen(...at)}
              title={f.what}
              data-testid="plan-mark"
            >
              <LevelSign look={f.level} colour={markColours[f.level]} />
            </span>
          )
        );
      })}
      {props.picked && (
        <span
          className="pointer-events-none absolute size-3.5 -translate-x-1/2 -translate-y-1/2 rounded-full border-[3px] border-[#b0722f] bg-white"
          style={toScreen(props.picked[0], props.picked[2])}
        />
      )}
      <button
        type="button"
        aria-label={`Line of the section, running to heading ${degrees(section, 0)}. Drag it, or turn it with the left and right arrow keys.`}
        data-testid="section-grip"
        className="absolute size-4 -translate-x-1/2 -translate-y-1/2 cursor-grab rounded-sm border-2 border-white bg-[#b0722f] shadow"
        style={grip}
        onPointerDown={(e) => start(e, "section")}
        onKeyDown={(e) => {
          const by = e.key === "ArrowLeft" ? -5 : e.key === "ArrowRight" ? 5 : 0;
          if (by === 0) return;
          e.preventDefault();
          e.stopPropagation();
          props.onSection(wrapHeading(section + by));
        }}
      />
      <PathKeys
        view={view}
        path={props.path}
        at={([px, , pz]) => [px, pz]}
        onMove={onMove}
        offset={props.offset}
      />
      <button
        type="button"
        aria-label={`Viewpoint at x ${length(x + props.offset[0])}, z ${length(z + props.offset[2])}. Drag it, or move it with the arrow keys.`}
        data-testid="viewpoint-handle"
        className="absolute size-6 -translate-x-1/2 -translate-y-1/2 cursor-move rounded-full border-[3px] border-white bg-[#3c5570] shadow"
        style={here}
        onPointerDown={(e) => start(e, "viewpoint")}
        onKeyDown={keys}
        onKeyUp={keysUp}
      />
      {nearest && (
        <span
          className="pointer-events-none absolute rounded bg-base-100/90 px-1 text-xs whitespace-nowrap text-base-content"
          style={{ left: here.left + 16, top: here.top + 12 }}
          data-testid="plan-distance"
        >
          {from ? `moved ${length(Math.hypot(x - from[0], z - from[1]))} · ` : ""}
          {nearest.object} {length(nearest.distance_m)}
        </span>
      )}
      <ScaleBar view={view} />
      <ZoomButtons view={view} what="Plan" />
      <div
        className="pointer-events-none absolute top-1.5 right-1.5 flex flex-col items-center rounded bg-base-100/90 px-1.5 py-0.5 text-xs leading-tight text-base-content"
        title="Heading 0° is north"
      >
        <svg viewBox="0 0 12 22" className="h-5 w-3" aria-hidden="true">
          <path d="M6 21V2M2 7.500 6 1.500l4 6" fill="none" stroke="currentColor" strokeWidth="1.6" />
        </svg>
        N 0°
      </div>
    </div>
  );
}
