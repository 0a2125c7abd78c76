import { useState } from "react";
import type { BroughtPicture } from "../generated/BroughtPicture";
import { Problem } from "../parts/Problem";
import { degrees, wrapHeading } from "../parts/units";

/** The ball's share of its square, as the server draws it. */
const BALL = 0.92;
/** On a mirror a direction appears half-way between the viewer and itself. */
const HALF = (100 / 2) * BALL * Math.SQRT1_2;

/** A mirror ball, a rough ball and a white ball under the picture. */
export function BallTest({ picture }: { picture: BroughtPicture }) {
  const [state, setState] = useState<"lighting" | "lit" | "failed">("lighting");
  const heading = (by: number) => degrees(wrapHeading(picture.heading_deg + by), 0);
  const places: [number, number, string][] = [
    [HALF, 0, `right, ${heading(90)}`],
    [-HALF, 0, `left, ${heading(-90)}`],
    [0, 0, `behind, ${heading(180)}`],
    [0, -HALF, "up"],
    [0, HALF, "down"],
  ];
  if (state === "failed") {
    return (
      <Problem
        error={new Error("The balls could not be lit by this picture; see that its shape is right.")}
      />
    );
  }
  return (
    <div className="flex flex-wrap items-start gap-x-5 gap-y-3 min-[1400px]:flex-nowrap" data-testid="balls">
      <div className="mid-grey relative aspect-[3/1] w-full max-w-[42rem] overflow-hidden rounded-md">
        <img
          src={`/api/pictures/${picture.id}/balls.jpg?${encodeURIComponent(picture.shape ?? "")}`}
          alt="Mirror, rough and white ball"
          className="size-full"
          data-testid="balls-lit"
          data-lit={state === "lit"}
          onLoad={() => setState("lit")}
          onError={() => setState("failed")}
        />
        <svg viewBox="0 0 300 100" className="absolute inset-0 size-full" aria-hidden="true">
          {[50, 150, 250].flatMap((middle, ball) =>
            places.map(([x, y, name]) => {
              // A matt ball is lit where it faces; its arrows stand at its rim.
              const out = ball === 2 ? 1 / Math.SQRT1_2 - 0.2 : 1;
              const arrow =
                x === 0 && y === 0
                  ? "M-1.5 0A1.5 1.5 0 1 0 1.5 0A1.5 1.5 0 1 0-1.5 0"
                  : "M-4 0H3.5M1 -2.5 3.5 0 1 2.5";
              const way = (Math.atan2(y, x) * 180) / Math.PI;
              return (
                <g key={`${middle}${name}`} transform={`translate(${middle + x * out} ${50 + y * out})`}>
                  <g transform={`rotate(${way})`} fill="none" strokeLinecap="round">
                    <path d={arrow} stroke="#15181e" strokeWidth="1.9" />
                    <path d={arrow} stroke="#fff" strokeWidth="0.9" />
                  </g>
                  {ball === 0 && (
                    <text
                      y={y > 0 ? -5.5 : y < 0 ? 9 : 7.5}
                      textAnchor="middle"
                      fontSize="4.4"
                      fill="#fff"
                      stroke="#15181e"
                      strokeWidth="1"
                      paintOrder="stroke"
                    >
                      {name}
                    </text>
                  )}
                </g>
              );
            }),
          )}
        </svg>
      </div>
      <p className="max-w-[42rem] min-w-60 flex-1 text-[13px] text-base-content/85">
        {state === "lighting" && "Lighting the balls … "}The viewer looks ahead, at heading {heading(0)}. The
        mirror ball shows behind in its middle; what lies to the right is mirrored on its right side, ahead
        all round its rim. The rough ball has a roughness of 0.5, the white one is matt. If a name does not
        stand on what lies there, the map is turned or mirrored: see Diagnosis.
      </p>
    </div>
  );
}
