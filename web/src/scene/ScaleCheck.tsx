import type { Project } from "../generated/Project";
import { Choice } from "../parts/Choice";
import { Mark } from "../parts/Mark";
import { length } from "../parts/units";

type Unit = Project["settings"]["unit"];

const UNITS: readonly (readonly [Unit, string])[] = [
  ["metre", "metres"],
  ["centimetre", "centimetres"],
  ["millimetre", "millimetres"],
  ["inch", "inches"],
  ["foot", "feet"],
];

const PERSON = 1.75;
const WIDTH = 150;
const HEIGHT = 62;
/** Rooms lower and higher than that are rare enough to ask about the unit, metres. */
const USUAL_ROOM = [1.9, 60] as const;

/** A person in the room where the viewer stands: a slip of the unit shows at a glance. */
export function ScaleCheck({
  place,
  room,
  size,
  unit,
  onUnit,
}: {
  place: string;
  /** Free height from floor to ceiling where the viewer stands, metres; null under the open sky. */
  room: number | null;
  size: readonly number[];
  unit: Unit;
  onUnit: (unit: Unit) => void;
}) {
  const high = room ?? Math.max(size[1] ?? 0, 0.01);
  const scale = (HEIGHT - 10) / Math.max(high, PERSON);
  const across = Math.min(WIDTH - 8, 1.6 * high * scale);
  const person = PERSON * scale;
  const odd = high < USUAL_ROOM[0] || high > USUAL_ROOM[1] * (room === null ? 10 : 1);
  const told =
    room === null
      ? `Open sky above “${place}”; the scene is ${length(high)} high.`
      : `${length(high)} from floor to ceiling at “${place}”.`;
  return (
    <div className="flex items-end gap-3">
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="h-16 w-38 shrink-0"
        role="img"
        aria-label={`${told} The figure is ${PERSON} m high.`}
      >
        <path d={`M0 ${HEIGHT - 2}H${WIDTH}`} stroke="currentColor" strokeOpacity="0.6" />
        <path
          d={`M${(WIDTH - across) / 2} ${HEIGHT - 2}v${-high * scale}h${across}v${high * scale}`}
          fill="currentColor"
          fillOpacity="0.06"
          stroke="currentColor"
          strokeOpacity={room === null ? 0.25 : 0.6}
          strokeDasharray={room === null ? "3 3" : undefined}
        />
        {/* Head and body, drawn once at unit height. */}
        <g transform={`translate(${WIDTH / 2} ${HEIGHT - 2}) scale(${person})`} className="text-primary">
          <circle cx="0" cy="-0.92" r="0.075" fill="currentColor" />
          <path
            d="M-0.14 -0.8Q0 -0.86 0.14 -0.8L0.1 -0.46L0.07 0H0.012L0 -0.4L-0.012 0H-0.07L-0.1 -0.46Z"
            fill="currentColor"
          />
        </g>
      </svg>
      <div className="w-34 shrink-0">
        <Choice label="Unit" value={unit} options={UNITS} onChange={onUnit} />
      </div>
      <p className="pb-1 text-xs text-base-content/80">
        {told}{" "}
        {odd ? (
          <Mark kind="look">Beside a person of {PERSON} m that is odd: is the unit right?</Mark>
        ) : (
          `The figure is a person of ${PERSON} m.`
        )}
      </p>
    </div>
  );
}
