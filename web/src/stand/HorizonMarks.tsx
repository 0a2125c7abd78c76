import { useRef } from "react";
import type { FindingInfo } from "../generated/FindingInfo";
import { useSize } from "../parts/useSize";
import { pictureOf, type Turn } from "../sphere/geometry";
import { legible } from "./legible";

export interface HorizonMark {
  key: string;
  heading: number;
  pitch: number;
  text: string;
  look: "picked" | "note" | "warn" | "stop" | "sight" | "aim";
}

export const colours: Record<HorizonMark["look"], string> = {
  picked: "#b0722f",
  aim: "#b0722f",
  note: "#5b5f68",
  warn: "#c98a1b",
  stop: "#a8452e",
  sight: "#3c5570",
};

export const findingMarks = (findings: FindingInfo[]): HorizonMark[] =>
  findings.flatMap((f) =>
    f.heading_deg === null || f.pitch_deg === null
      ? []
      : [
          {
            key: `${f.rule}-${f.what}`,
            heading: f.heading_deg,
            pitch: f.pitch_deg,
            text: f.rule === "lamp-in-sight" ? "lamp" : f.rule.replaceAll("-", " "),
            look: f.level,
          },
        ],
  );

/** A sign for each kind: a circle for places, a square, a triangle and an octagon for notes, warnings and what must be fixed. */
export function LevelSign({ look, colour }: { look: HorizonMark["look"]; colour: string }) {
  const shape = {
    note: <path d="M2.500 2.500h9v9h-9z" />,
    warn: <path d="M7 1.800 12.800 12H1.200Z" />,
    stop: <path d="M4.700 1.500h4.600L12.500 4.700v4.600L9.300 12.500H4.700L1.500 9.300V4.700Z" />,
  };
  return (
    <svg viewBox="0 0 14 14" className="size-3.5 shrink-0" aria-hidden="true">
      <g fill={colour} stroke="#fff" strokeWidth="1.6" strokeLinejoin="round">
        {look in shape ? shape[look as keyof typeof shape] : <circle cx="7" cy="7" r="5" />}
      </g>
    </svg>
  );
}

/** A name at a place of a picture, percent of it to the right and down. */
export interface PlacedName {
  key: string;
  left: number;
  top: number;
  text: string;
  look: HorizonMark["look"];
}

/** Names over a picture. `sparse`: a name that would cover an earlier one is left out, its sign stays. */
export function PlacedNames({ names, sparse = false }: { names: PlacedName[]; sparse?: boolean }) {
  const box = useRef<HTMLDivElement>(null);
  const size = useSize(box);
  const placed = names.map((n) => ({
    ...n,
    top: Math.min(97, Math.max(3, n.top)),
    // Near the right edge they stand to the left of their sign.
    turned: n.left > 80,
  }));
  const readable = sparse ? legible(placed, size) : null;
  return (
    <div ref={box} className="pointer-events-none absolute inset-0">
      {placed.map(({ key, left, top, text, look, turned }, i) => (
        <span
          key={key}
          className="absolute flex items-center gap-1 text-xs whitespace-nowrap"
          style={{
            left: `${left}%`,
            top: `${top}%`,
            transform: turned ? "translate(calc(-100% + 6px), -50%)" : "translate(-6px, -50%)",
            flexDirection: turned ? "row-reverse" : "row",
          }}
          data-testid="horizon-mark"
          data-look={look}
        >
          <LevelSign look={look} colour={colours[look]} />
          {readable?.[i] !== false && (
            <span className="max-w-40 truncate rounded bg-[#15181e]/75 px-1 text-white">{text}</span>
          )}
        </span>
      ))}
    </div>
  );
}

/** Names at their places on the Horizon. */
export function HorizonMarks({
  marks,
  turn,
  sparse = false,
}: {
  marks: HorizonMark[];
  turn: Turn;
  sparse?: boolean;
}) {
  const names = marks.map(({ key, heading, pitch, text, look }) => {
    const [lon, lat] = pictureOf(heading, pitch, turn);
    const level = look === "stop" ? "fix: " : look === "warn" ? "check: " : "";
    return {
      key,
      left: ((lon + 180) / 360) * 100,
      top: ((90 - lat) / 180) * 100,
      text: `${level}${text}`,
      look,
    };
  });
  return <PlacedNames names={names} sparse={sparse} />;
}
