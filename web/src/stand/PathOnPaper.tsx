import { useRef } from "react";
import { length } from "../parts/units";
import type { PathState } from "./usePath";
import type { PaperView } from "./usePaper";

const DUSK = "var(--plan-view)";
/** Less than this is a click, pixels. */
const STILL = 4;

interface Props {
  view: PaperView;
  path: PathState;
  /** Where a place is on the paper. */
  at: (place: readonly [number, number, number]) => [number, number];
}

/** The line of a path, drawn under everything else of the paper. */
export function PathLine({
  path,
  at,
  onLine,
}: Omit<Props, "view"> & { onLine: (e: React.PointerEvent) => void }) {
  if (!path.info) return null;
  const d = path.info.moments.map((m, i) => `${i === 0 ? "M" : "L"}${at(m.position).join(" ")}`).join("");
  return (
    <g>
      <path
        d={d}
        fill="none"
        stroke="#fff"
        strokeWidth="5"
        strokeLinejoin="round"
        vectorEffect="non-scaling-stroke"
      />
      <path
        d={d}
        fill="none"
        stroke={DUSK}
        strokeWidth="2.4"
        strokeLinejoin="round"
        strokeOpacity={path.stale ? 0.5 : 1}
        vectorEffect="non-scaling-stroke"
        data-testid="path-line"
      />
      {/* Wider than it is seen, so that a hand meets it. */}
      <path
        d={d}
        fill="none"
        stroke="transparent"
        strokeWidth="14"
        vectorEffect="non-scaling-stroke"
        className="pointer-events-auto cursor-copy"
        data-testid="path-hit"
        onPointerDown={onLine}
      >
        <title>Click to add a key here</title>
      </path>
    </g>
  );
}

interface KeysProps extends Props {
  /** The chosen key moves by so much on the paper, metres; `end` when it is let go. */
  onMove: (dx: number, dy: number, end: boolean) => void;
  /** Where the scene's origin is in the file that it came from, metres: places are told as they are there. */
  offset: readonly [number, number, number];
}

/** The keys of a path as handles: dragged, moved by arrow keys, taken away by Delete. */
export function PathKeys({ view, path, at, onMove, offset }: KeysProps) {
  const drag = useRef<{ x: number; y: number; moved: boolean } | null>(null);
  const keys = path.path?.keys ?? [];
  return keys.map((key, i) => (
    <button
      // oxlint-disable-next-line react/no-array-index-key
      key={i}
      type="button"
      data-testid="path-key"
      aria-label={`Key ${i + 1} of the path at ${key.time_s.toFixed(2)} s, x ${length(key.position[0] + offset[0])}, z ${length(key.position[2] + offset[2])}. Drag it, move it with the arrow keys, or take it away with Delete.`}
      title={`Key ${i + 1}, ${key.time_s.toFixed(2)} s`}
      className={`absolute flex size-[18px] -translate-x-1/2 -translate-y-1/2 cursor-move items-center justify-center rounded-[5px] border-2 border-[#3c5570] text-xs leading-none font-semibold tabular-nums shadow ${path.chosen === i ? "bg-[#3c5570] text-white" : "bg-white text-[#3c5570]"}`}
      style={view.toScreen(...at(key.position))}
      onPointerDown={(e) => {
        e.stopPropagation();
        e.currentTarget.setPointerCapture(e.pointerId);
        drag.current = { x: e.clientX, y: e.clientY, moved: false };
        path.choose(i);
      }}
      onPointerMove={(e) => {
        const d = drag.current;
        if (!d || (!d.moved && Math.hypot(e.clientX - d.x, e.clientY - d.y) < STILL)) return;
        const { scale } = view.paper;
        drag.current = { x: e.clientX, y: e.clientY, moved: true };
        onMove((e.clientX - d.x) / scale, (e.clientY - d.y) / scale, false);
      }}
      onPointerUp={() => {
        const moved = drag.current?.moved === true;
        drag.current = null;
        if (moved) onMove(0, 0, true);
        path.letGo(moved);
      }}
      onKeyDown={(e) => {
        if (e.key === "Delete" || e.key === "Backspace") {
          e.preventDefault();
          e.stopPropagation();
          path.remove(i);
          return;
        }
        const step = e.shiftKey ? 0.5 : 0.1;
        const by = {
          ArrowLeft: [-step, 0],
          ArrowRight: [step, 0],
          ArrowUp: [0, -step],
          ArrowDown: [0, step],
        }[e.key];
        if (!by) return;
        e.preventDefault();
        e.stopPropagation();
        if (path.chosen !== i) path.choose(i);
        onMove(by[0] ?? 0, by[1] ?? 0, false);
      }}
      onKeyUp={(e) => {
        if (!e.key.startsWith("Arrow")) return;
        onMove(0, 0, true);
        path.letGo(true);
      }}
    >
      {i + 1}
    </button>
  ));
}
