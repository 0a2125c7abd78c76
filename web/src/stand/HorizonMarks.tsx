import type { FindingInfo } from "../generated/FindingInfo";
import { pictureOf, type Turn } from "../sphere/geometry";

interface Mark {
  key: string;
  heading: number;
  pitch: number;
  text: string;
  look: "picked" | "note" | "warn" | "stop" | "sight" | "aim";
}

const colours: Record<Mark["look"], string> = {
  picked: "#b0722f",
  aim: "#b0722f",
  note: "#5b5f68",
  warn: "#c98a1b",
  stop: "#a8452e",
  sight: "#3c5570",
};

export const findingMarks = (findings: FindingInfo[]): Mark[] =>
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

/** Names at their places on the Horizon. */
export function HorizonMarks({ marks, turn }: { marks: Mark[]; turn: Turn }) {
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
            <span
              className={`size-3 shrink-0 border-2 border-white ${m.look === "picked" || m.look === "aim" || m.look === "sight" ? "rounded-full" : "rotate-45"}`}
              style={{ background: colours[m.look] }}
            />
            <span className="max-w-40 truncate rounded bg-[#15181e]/75 px-1 text-white">{m.text}</span>
          </span>
        );
      })}
    </div>
  );
}
