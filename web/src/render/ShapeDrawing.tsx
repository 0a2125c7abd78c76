/** Columns, rows and the cells that are used, by what they show: the front, the sky, the ground, the rest. */
const CUBES: Record<string, [number, number, string]> = {
  "cube-6x1": [6, 1, "rfrrsg"],
  "cube-1x6": [1, 6, "rfrrsg"],
  "cube-faces": [6, 1, "rfrrsg"],
  "cube-3x2": [3, 2, "rfrrsg"],
  "eac-3x2": [3, 2, "rfrrsg"],
  "cube-cross": [4, 3, ".s..rfrr.g.."],
  "cube-cross-vertical": [3, 4, ".s.rfr.g..r."],
};

const SKY = "#b9c6d4";
const GROUND = "#c9a678";
const FRONT = "#4f7fb3";
const REST = "#8fa0b0";
const FILLS: Record<string, string> = { s: SKY, g: GROUND, f: FRONT, r: REST };

/** How the sphere lies in a shape: sky, ground, and what is ahead, in a box of 44 by 28. */
export function ShapeDrawing({ shape }: { shape: string }) {
  return (
    <svg viewBox="0 0 44 28" width="44" height="28" aria-hidden="true" className="shrink-0">
      <Lay shape={shape} />
    </svg>
  );
}

function Lay({ shape }: { shape: string }) {
  const kind = shape.split(":")[0] ?? shape;
  const cube = CUBES[kind];
  if (cube) {
    const [columns, rows, cells] = cube;
    const side = Math.min(42 / columns, 26 / rows);
    const [left, top] = [22 - (side * columns) / 2, 14 - (side * rows) / 2];
    return cells.split("").map((c, i) => {
      const fill = FILLS[c];
      return (
        fill && (
          <rect
            key={i}
            x={left + (i % columns) * side + 0.4}
            y={top + Math.floor(i / columns) * side + 0.4}
            width={side - 0.8}
            height={side - 0.8}
            rx={kind === "eac-3x2" ? side * 0.22 : 0.6}
            fill={fill}
          />
        )
      );
    });
  }
  if (kind === "octahedral")
    return (
      <>
        <rect x="9" y="1" width="26" height="26" fill={GROUND} />
        <path d="M22 1 L35 14 L22 27 L9 14 Z" fill={SKY} />
        <circle cx="22" cy="1.6" r="2.2" fill={FRONT} />
      </>
    );
  if (kind.startsWith("fisheye") || kind === "angular-map" || kind === "mirror-ball") {
    const back = kind === "mirror-ball";
    const low = kind === "fisheye-stereographic" ? 9 : 14;
    return (
      <>
        <clipPath id={`disc-${kind}`}>
          <circle cx="22" cy="14" r="13" />
        </clipPath>
        <g clipPath={`url(#disc-${kind})`}>
          <rect x="9" y="1" width="26" height="26" fill={SKY} />
          <rect x="9" y={low} width="26" height="26" fill={GROUND} />
          {back ? (
            <circle cx="22" cy="14" r="12" fill="none" stroke={FRONT} strokeWidth="3" />
          ) : (
            <circle cx="22" cy="14" r={kind === "angular-map" ? 3 : 5} fill={FRONT} />
          )}
        </g>
      </>
    );
  }
  const [width, height] =
    kind === "perspective"
      ? [33, 22]
      : shape === "equirect:180x180"
        ? [26, 26]
        : kind === "cylinder"
          ? [42, 12]
          : [42, 21];
  const [left, top] = [22 - width / 2, 14 - height / 2];
  const ahead = kind === "perspective" ? 22 : shape === "equirect:180x180" ? 8 : 7;
  return (
    <>
      <rect x={left} y={top} width={width} height={height / 2} fill={SKY} />
      <rect x={left} y={14} width={width} height={height / 2} fill={GROUND} />
      <rect
        x={22 - ahead / 2}
        y={14 - height / 5}
        width={ahead}
        height={(height * 2) / 5}
        fill={FRONT}
        rx="1"
      />
    </>
  );
}
