import { length } from "../parts/units";
import { linesPath, roundLength, solidsPath } from "./drawing";
import type { PaperView } from "./usePaper";

/** What plan and section have in common: what lies behind, a grid, the cut itself. */
export function PaperBase({ view, up }: { view: PaperView; up: boolean }) {
  const { paper, size, plan, area } = view;
  const step = roundLength(paper, 44);
  const [left, top] = [paper.x - size.w / 2 / paper.scale, paper.y - size.h / 2 / paper.scale];
  const [right, bottom] = [left + size.w / paper.scale, top + size.h / paper.scale];
  let grid = "";
  for (let x = Math.ceil(left / step) * step; x < right; x += step) grid += `M${x} ${top}V${bottom}`;
  for (let y = Math.ceil(top / step) * step; y < bottom; y += step) grid += `M${left} ${y}H${right}`;
  return (
    <>
      {view.picture && (
        <image
          href={view.picture}
          x={area.x0}
          y={up ? -area.z1 : area.z0}
          width={area.x1 - area.x0}
          height={area.z1 - area.z0}
          preserveAspectRatio="none"
          className="paper-picture"
        />
      )}
      <path
        d={grid}
        fill="none"
        stroke="var(--paper-grid)"
        strokeOpacity="0.16"
        strokeWidth="1"
        vectorEffect="non-scaling-stroke"
      />
      {plan && (
        <>
          <path
            d={solidsPath(plan, up)}
            fill="var(--paper-solid)"
            stroke="var(--paper-ink)"
            strokeWidth="1.3"
            strokeLinejoin="round"
            vectorEffect="non-scaling-stroke"
          />
          <path
            d={linesPath(plan, up)}
            fill="none"
            stroke="var(--paper-ink)"
            strokeWidth="1.5"
            strokeLinejoin="round"
            strokeLinecap="round"
            vectorEffect="non-scaling-stroke"
          />
        </>
      )}
    </>
  );
}

/** The scale bar with the width of the grid. */
export function ScaleBar({ view }: { view: PaperView }) {
  const bar = roundLength(view.paper, 60);
  const step = roundLength(view.paper, 44);
  return (
    <div className="pointer-events-none absolute bottom-1.5 left-1.5 rounded bg-base-100/90 px-1.5 py-0.5 text-xs leading-tight text-base-content">
      <div
        className="h-1.5 border-x border-b border-base-content"
        style={{ width: bar * view.paper.scale }}
      />
      {length(bar)}
      {step !== bar && <span className="text-base-content/75"> · grid {length(step)}</span>}
    </div>
  );
}

/** Buttons for who does not use the wheel. */
export function ZoomButtons({ view, what }: { view: PaperView; what: string }) {
  const button =
    "pointer-events-auto size-6 rounded border border-base-300 bg-base-100/90 text-sm leading-none text-base-content hover:bg-base-100";
  return (
    <div className="pointer-events-none absolute right-1.5 bottom-1.5 flex gap-1">
      <button
        type="button"
        className={button}
        aria-label={`${what} larger`}
        onPointerDown={(e) => e.stopPropagation()}
        onClick={() => view.zoom(1.4)}
      >
        +
      </button>
      <button
        type="button"
        className={button}
        aria-label={`${what} smaller`}
        onPointerDown={(e) => e.stopPropagation()}
        onClick={() => view.zoom(1 / 1.4)}
      >
        −
      </button>
    </div>
  );
}
