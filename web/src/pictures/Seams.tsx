import type { SeamInfo } from "../generated/SeamInfo";
import { Mark } from "../parts/Mark";
import { Problem } from "../parts/Problem";
import { degrees, wrapHeading } from "../parts/units";

/** Where seams are, on the Horizon. */
export function SeamMarks({ seams }: { seams: SeamInfo[] }) {
  return (
    <svg
      viewBox="0 0 360 180"
      className="pointer-events-none absolute inset-0 size-full"
      aria-hidden="true"
      data-testid="seam-marks"
    >
      {seams
        .filter((s) => s.visible)
        .map((s) => {
          // A mark on the left-right edge is drawn at both ends.
          const x = s.lon_deg + 180;
          const all = x < 8 ? [x, x + 360] : x > 352 ? [x, x - 360] : [x];
          return all.map((x) => (
            <g key={`${s.edge}${x}`} transform={`translate(${x} ${90 - s.lat_deg})`}>
              <path d="M-5 0 0-5 5 0 0 5Z" fill="none" stroke="#15181e" strokeWidth="2.4" />
              <path d="M-5 0 0-5 5 0 0 5Z" fill="none" stroke="#ffb59c" strokeWidth="1.1" />
            </g>
          ));
        })}
    </svg>
  );
}

interface Props {
  seams: SeamInfo[] | undefined;
  error: unknown;
  heading: number;
  onLook: (lon: number, lat: number) => void;
}

/** Edges and poles of a picture, the worst first. */
export function SeamPanel({ seams, error, heading, onLook }: Props) {
  if (error) return <Problem error={error} />;
  if (!seams) return <p className="text-sm">Comparing both sides of every edge …</p>;
  if (seams.length === 0) return <p className="text-sm">A picture of this shape has no edges that meet.</p>;
  const visible = seams.filter((s) => s.visible);
  return (
    <div data-testid="seams">
      <p className="mb-2 text-sm">
        <Mark kind={visible.length > 0 ? "look" : "fine"} />{" "}
        {visible.length > 0
          ? `${visible.length} of ${seams.length} edges and poles will be seen:`
          : `No seams: ${seams.length} edges and poles are as smooth as the picture beside them.`}
      </p>
      <ul className="max-w-2xl space-y-0.5 text-[13px]">
        {visible.map((s) => (
          <li key={s.edge} className="flex items-center justify-between gap-3">
            <span>
              {s.edge}: {s.strength_percent.toFixed(1)} % of white, heading{" "}
              {degrees(wrapHeading(heading + s.lon_deg), 0)}, pitch {degrees(s.lat_deg, 0)}
            </span>
            <button
              type="button"
              className="btn btn-ghost btn-xs"
              onClick={() => onLook(s.lon_deg, s.lat_deg)}
            >
              Show it
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}
