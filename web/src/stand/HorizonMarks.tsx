import type { FindingInfo } from "../generated/FindingInfo";
import { pictureOf, type Turn } from "../sphere/geometry";

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

/** Names at their places on the Horizon. */
export function HorizonMarks({ marks, turn }: { marks: HorizonMark[]; turn: Turn }) {
  return (
    <div className="pointer-events-none absolute inset-0">
      {marks.map((m) => {
        const [lon, lat] = pictureOf(m.heading, m.pitch, turn);
        const left = ((lon + 180) / 360) * 100;
        return (
          <span
            key={m.key}
            className="absolute flex items-center gap-1 text-[11px] whitespace-nowrap"
            style={{
              left: `${left}%`,
              top: `${Math.min(97, Math.max(3, ((90 - lat) / 180) * 100))}%`,
              transform: left > 80 ? "translate(calc(-100% + 6px), -50%)" : "translate(-6px, -50%)",
              flexDirection: left > 80 ? "row-reverse" : "row",
            }}
            data-testid="horizon-mark"
            data-look={m.look}
          >
            <LevelSign look={m.look} colour={colours[m.look]} />
            <span className="max-w-40 truncate rounded bg-[#15181e]/75 px-1 text-white">
              {m.look === "stop" ? "fix: " : m.look === "warn" ? "check: " : ""}
              {m.text}
            </span>
          </span>
        );
      })}
    </div>
  );
}
