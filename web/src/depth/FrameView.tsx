import type { MouseEvent, ReactNode } from "react";
import type { Rig } from "../generated/Rig";
import { PlacedNames, type HorizonMark } from "../stand/HorizonMarks";
import { MASKS, type Guide } from "./guides";

/** Boxes and lines of a guide, in percent of the frame. */
function lines(guide: Guide, ratio: number): ReactNode {
  const box = (share: number) => {
    const edge = (100 - share) / 2;
    return <rect key={share} x={edge} y={edge} width={share} height={share} />;
  };
  if (guide === "thirds")
    return [100 / 3, 200 / 3].map((p) => (
      <g key={p}>
        <line x1={p} x2={p} y1="0" y2="100" />
        <line y1={p} y2={p} x1="0" x2="100" />
      </g>
    ));
  if (guide === "centre")
    return (
      <>
        <line x1="50" x2="50" y1="0" y2="100" />
        <line y1="50" y2="50" x1="0" x2="100" />
      </>
    );
  // Action and title areas of SMPTE ST 2046-1, from memory.
  if (guide === "safe") return [93, 90].map(box);
  const masked = MASKS[guide];
  if (masked !== undefined) {
    // Whichever way the picture is larger than its mask, the rest is dark.
    const [across, down] = [Math.min(100, (masked / ratio) * 100), Math.min(100, (ratio / masked) * 100)];
    const [x, y] = [(100 - across) / 2, (100 - down) / 2];
    return (
      <g fill="#000" fillOpacity="0.55" stroke="none">
        <rect x="0" y="0" width="100" height={y} />
        <rect x="0" y={100 - y} width="100" height={y} />
        <rect x="0" y="0" width={x} height="100" />
        <rect x={100 - x} y="0" width={x} height="100" />
      </g>
    );
  }
  return null;
}

/** A name at a place of the frame, 0 to 1 to the right and down. */
export interface FrameMark {
  key: string;
  place: [number, number];
  text: string;
  look: HorizonMark["look"];
}

/** The frame of a flat pair. */
export function FrameView({
  picture,
  layer,
  rig,
  guide,
  marks,
  note,
  onPick,
  onHover,
}: {
  picture: string | null;
  /** The planes of depth over it. */
  layer: string | null;
  rig: Rig;
  guide: Guide;
  marks: FrameMark[];
  note: ReactNode;
  onPick: ((place: [number, number]) => void) | undefined;
  onHover: (place: [number, number] | null) => void;
}) {
  /** Where the pointer is, 0 to 1 to the right and down. */
  const placeOf = (e: MouseEvent<HTMLElement>): [number, number] => {
    const box = e.currentTarget.getBoundingClientRect();
    return [(e.clientX - box.left) / box.width, (e.clientY - box.top) / box.height];
  };
  const { ratio } = rig.flat;
  return (
    <figure
      className="relative m-0 ml-9 w-auto select-none"
      style={{ maxWidth: `calc(${(0.45 * ratio * 100).toFixed(1)}vh)` }}
      data-testid="frame"
    >
      <div className="relative overflow-hidden rounded-md" style={{ aspectRatio: ratio }}>
        <button
          type="button"
          className="mid-grey absolute inset-0 cursor-crosshair"
          aria-label="Frame of the flat pair. Enter picks what is in its centre."
          onClick={(e) => {
            // By the keyboard there is no place.
            if (e.detail === 0) return onPick?.([0.5, 0.5]);
            onPick?.(placeOf(e));
          }}
          onMouseMove={(e) => onHover(placeOf(e))}
          onMouseLeave={() => onHover(null)}
        >
          {picture && (
            <img
              src={picture}
              alt=""
              draggable={false}
              className="absolute inset-0 size-full"
              data-testid="frame-picture"
            />
          )}
          {layer && (
            <img
              src={layer}
              alt=""
              draggable={false}
              className="pointer-events-none absolute inset-0 size-full"
              data-testid="planes-layer"
            />
          )}
          <svg
            viewBox="0 0 100 100"
            preserveAspectRatio="none"
            className="pointer-events-none absolute inset-0 size-full"
            aria-hidden="true"
          >
            <g
              fill="none"
              stroke="#fff"
              strokeOpacity="0.7"
              vectorEffect="non-scaling-stroke"
              strokeWidth="0.25"
            >
              {lines(guide, ratio)}
            </g>
          </svg>
        </button>
        <PlacedNames
          sparse
          names={marks.map(({ key, place: [u, v], text, look }) => ({
            key,
            left: u * 100,
            top: v * 100,
            text,
            look,
          }))}
        />
      </div>
      <figcaption className="flex min-h-6 flex-wrap items-center gap-x-4 pt-1 text-xs text-base-content/80">
        <span>
          <span className="font-semibold">Frame</span>: {rig.flat.hfov_deg.toFixed(1)}° wide,{" "}
          {ratio.toFixed(2)}:1 · click to pick
          {layer && " · amber: in front of what is allowed; striped: behind it; line: zero parallax"}
        </span>
        {note}
      </figcaption>
    </figure>
  );
}
