import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useLayoutEffect, useRef, useState } from "react";
import { api, type Area } from "../api/client";
import type { Pose } from "../generated/Pose";
import type { Viewpoint } from "../generated/Viewpoint";
import { metres } from "../parts/units";

interface Props {
  project: number;
  viewpoints: Viewpoint[];
  chosen: number;
  pose: Pose;
  /** Height of the cut, metres. */
  cut: number;
  hfov: number;
  onChoose: (id: number) => void;
  onMove: (x: number, z: number, end: boolean) => void;
}

interface Camera {
  x: number;
  z: number;
  /** Pixels per metre. */
  scale: number;
}

/** A round number of metres for the scale bar. */
function barLength(scale: number): number {
  const wanted = 90 / scale;
  const power = 10 ** Math.floor(Math.log10(wanted));
  return ([5, 2, 1].find((k) => k * power <= wanted) ?? 1) * power;
}

function linesPath(lines: number[]): string {
  let path = "";
  for (let i = 0; i + 3 < lines.length; i += 4) {
    path += `M${lines[i]} ${lines[i + 1]}L${lines[i + 2]} ${lines[i + 3]}`;
  }
  return path;
}

/** The scene cut at a height and seen from above; north (heading 0) is up. */
export function PlanView({ project, viewpoints, chosen, pose, cut, hfov, onChoose, onMove }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const [size, setSize] = useState({ w: 400, h: 400 });
  const [camera, setCamera] = useState<Camera>({ x: pose.position[0], z: pose.position[2], scale: 26 });
  const drag = useRef<{ kind: "viewpoint" | "plan"; x: number; y: number } | null>(null);

  useLayoutEffect(() => {
    const element = box.current;
    if (!element) return;
    const watcher = new ResizeObserver(() => setSize({ w: element.clientWidth, h: element.clientHeight }));
    watcher.observe(element);
    return () => watcher.disconnect();
  }, []);

  // Another viewpoint may stand outside what is shown.
  const [x, , z] = pose.position;
  useEffect(() => {
    setCamera((c) => {
      const seen = Math.abs(x - c.x) * c.scale < size.w / 2 && Math.abs(z - c.z) * c.scale < size.h / 2;
      return seen || drag.current ? c : { ...c, x, z };
    });
    // Only a change of the chosen viewpoint moves the plan.
    // oxlint-disable-next-line react-hooks/exhaustive-deps
  }, [chosen]);

  const wheel = useCallback((e: WheelEvent) => {
    e.preventDefault();
    const frame = box.current?.getBoundingClientRect();
    if (!frame) return;
    const [px, py] = [e.clientX - frame.left - frame.width / 2, e.clientY - frame.top - frame.height / 2];
    setCamera((c) => {
      const scale = Math.min(400, Math.max(0.5, c.scale * Math.exp(-e.deltaY * 0.0015)));
      // What lies under the pointer stays there.
      return { scale, x: c.x + px / c.scale - px / scale, z: c.z + py / c.scale - py / scale };
    });
  }, []);
  useEffect(() => {
    const element = box.current;
    element?.addEventListener("wheel", wheel, { passive: false });
    return () => element?.removeEventListener("wheel", wheel);
  }, [wheel]);

  // The drawing is asked for once the plan is still, a little larger than the window.
  const [settled, setSettled] = useState({ camera, size, cut });
  useEffect(() => {
    const timer = setTimeout(() => setSettled({ camera, size, cut }), 180);
    return () => clearTimeout(timer);
  }, [camera, size, cut]);
  const s = settled.camera;
  const [halfW, halfH] = [(settled.size.w * 0.75) / s.scale, (settled.size.h * 0.75) / s.scale];
  const area: Area = { x0: s.x - halfW, x1: s.x + halfW, z0: s.z - halfH, z1: s.z + halfH };
  const { data: plan } = useQuery({
    queryKey: ["plan", project, settled.cut, area],
    queryFn: () => api.plan(project, settled.cut, area),
    placeholderData: (before) => before,
    gcTime: 10_000,
  });

  const toScreen = (px: number, pz: number) => ({
    left: (px - camera.x) * camera.scale + size.w / 2,
    top: (pz - camera.z) * camera.scale + size.h / 2,
  });
  const view = `${camera.x - size.w / 2 / camera.scale} ${camera.z - size.h / 2 / camera.scale} ${size.w / camera.scale} ${size.h / camera.scale}`;
  const bar = barLength(camera.scale);
  const here = toScreen(x, z);
  const half = ((hfov / 2) * Math.PI) / 180;
  const wedge = (r: number) => {
    const at = (a: number) => `${r * Math.sin(a)} ${-r * Math.cos(a)}`;
    return `M0 0L${at(-half)}A${r} ${r} 0 0 1 ${at(half)}Z`;
  };

  const move = (e: React.PointerEvent) => {
    const d = drag.current;
    if (!d) return;
    const [dx, dy] = [(e.clientX - d.x) / camera.scale, (e.clientY - d.y) / camera.scale];
    drag.current = { ...d, x: e.clientX, y: e.clientY };
    if (d.kind === "viewpoint") onMove(x + dx, z + dy, false);
    else setCamera((c) => ({ ...c, x: c.x - dx, z: c.z - dy }));
  };
  const up = () => {
    if (drag.current?.kind === "viewpoint") onMove(x, z, true);
    drag.current = null;
  };
  const keys = (e: React.KeyboardEvent) => {
    const step = e.shiftKey ? 0.5 : 0.1;
    const by = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] }[
      e.key
    ];
    if (!by) return;
    e.preventDefault();
    onMove(x + (by[0] ?? 0), z + (by[1] ?? 0), true);
  };

  return (
    <div
      ref={box}
      data-testid="plan"
      data-lines={plan ? plan.lines.length / 4 : 0}
      className="relative size-full touch-none overflow-hidden rounded-md border border-base-300 bg-white"
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        drag.current = { kind: "plan", x: e.clientX, y: e.clientY };
      }}
      onPointerMove={move}
      onPointerUp={up}
      onPointerCancel={up}
    >
      <svg viewBox={view} className="absolute inset-0 size-full" aria-hidden="true">
        <image
          href={api.planPicture(project, settled.cut, area, 640)}
          x={area.x0}
          y={area.z0}
          width={area.x1 - area.x0}
          height={area.z1 - area.z0}
          preserveAspectRatio="none"
        />
        {plan && (
          <path
            d={linesPath(plan.lines)}
            fill="none"
            stroke="#262a33"
            strokeWidth="1.6"
            strokeLinecap="round"
            vectorEffect="non-scaling-stroke"
          />
        )}
      </svg>
      {viewpoints
        .filter((v) => v.id !== chosen)
        .map((v) => (
          <button
            key={v.id}
            type="button"
            className="absolute flex -translate-x-1/2 -translate-y-1/2 items-center gap-1 rounded-full border border-[#3c5570] bg-white/90 px-2 py-0.5 text-[11px] text-[#262a33]"
            style={toScreen(v.pose.position[0], v.pose.position[2])}
            onPointerDown={(e) => e.stopPropagation()}
            onClick={() => onChoose(v.id)}
          >
            {v.name}
          </button>
        ))}
      <svg
        className="pointer-events-none absolute overflow-visible"
        style={here}
        width="1"
        height="1"
        aria-hidden="true"
      >
        <g transform={`rotate(${pose.heading_deg})`}>
          <path d={wedge(70)} fill="#3c5570" fillOpacity="0.22" stroke="#3c5570" strokeWidth="1.2" />
        </g>
      </svg>
      <button
        type="button"
        aria-label={`Viewpoint at x ${metres(x)}, z ${metres(z)}. Drag it, or move it with the arrow keys.`}
        data-testid="viewpoint-handle"
        className="absolute size-6 -translate-x-1/2 -translate-y-1/2 cursor-move rounded-full border-[3px] border-white bg-[#3c5570] shadow"
        style={here}
        onPointerDown={(e) => {
          e.stopPropagation();
          box.current?.setPointerCapture(e.pointerId);
          drag.current = { kind: "viewpoint", x: e.clientX, y: e.clientY };
        }}
        onKeyDown={keys}
      />
      <div className="pointer-events-none absolute bottom-2 left-2 rounded bg-white/85 px-2 py-1 text-[11px] text-[#262a33]">
        <div className="h-1.5 border-x border-b border-[#262a33]" style={{ width: bar * camera.scale }} />
        {metres(bar)}
      </div>
      <div className="pointer-events-none absolute top-2 right-2 rounded bg-white/85 px-2 py-1 text-[11px] text-[#262a33]">
        ↑ heading 0°
      </div>
    </div>
  );
}
