import { useRef, useState } from "react";
import type { Laid } from "./laid";
import { flatOf } from "./pictures";

/** Side of the cube and distance of the picture plane, CSS pixels; together a wide view from its middle. */
const SIDE = 320;
const DISTANCE = 170;
/** Turns that bring the front's place to each face's, in our order. */
const PLACES = [
  "rotateY(90deg)",
  "rotateY(0deg)",
  "rotateY(-90deg)",
  "rotateY(180deg)",
  "rotateX(-90deg)",
  "rotateX(90deg)",
];

/** Keys and pointer move what is shown; a screen reader passes them on. */
const ROLE = "application";

/** The faces folded into a cube, seen from inside. */
export function FoldedCube({ laid }: { laid: Laid[] }) {
  const [look, setLook] = useState({ lon: 25, lat: 8 });
  const drag = useRef<{ x: number; y: number } | null>(null);
  const by = (lon: number, lat: number) =>
    setLook((v) => ({ lon: v.lon + lon, lat: Math.max(-90, Math.min(90, v.lat + lat)) }));
  return (
    <div
      role={ROLE}
      aria-label="The cube from inside. Drag or arrow keys look round."
      tabIndex={0}
      className="mid-grey relative h-52 w-full cursor-grab touch-none overflow-hidden rounded-box active:cursor-grabbing"
      style={{ perspective: `${DISTANCE}px` }}
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        drag.current = { x: e.clientX, y: e.clientY };
      }}
      onPointerMove={(e) => {
        if (!drag.current) return;
        by((drag.current.x - e.clientX) * 0.3, (e.clientY - drag.current.y) * 0.3);
        drag.current = { x: e.clientX, y: e.clientY };
      }}
      onPointerUp={() => (drag.current = null)}
      onPointerCancel={() => (drag.current = null)}
      onKeyDown={(e) => {
        const step = { ArrowLeft: [-10, 0], ArrowRight: [10, 0], ArrowUp: [0, 10], ArrowDown: [0, -10] }[
          e.key
        ];
        if (!step) return;
        e.preventDefault();
        by(step[0] ?? 0, step[1] ?? 0);
      }}
    >
      <div
        className="absolute top-1/2 left-1/2"
        style={{
          transformStyle: "preserve-3d",
          transform: `translateZ(${DISTANCE}px) rotateX(${-look.lat}deg) rotateY(${look.lon}deg)`,
        }}
      >
        {laid.map((l, i) => (
          <div
            key={PLACES[i]}
            className="absolute overflow-hidden bg-[#707070] outline outline-white/20"
            style={{
              width: SIDE,
              height: SIDE,
              left: -SIDE / 2,
              top: -SIDE / 2,
              transform: `${PLACES[i] ?? ""} translateZ(${-SIDE / 2}px)`,
            }}
          >
            {l.picture && (
              <img
                src={flatOf(l.picture)}
                alt=""
                draggable={false}
                className="size-full"
                style={{ transform: `rotate(${l.quarters * 90}deg)` }}
              />
            )}
          </div>
        ))}
      </div>
    </div>
  );
}
