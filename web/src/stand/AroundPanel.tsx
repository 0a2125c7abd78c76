import { useQueryClient } from "@tanstack/react-query";
import { applyFix } from "../preflight/applyFix";
import { FindingRow } from "../preflight/FindingRow";
import type { FindingInfo } from "../generated/FindingInfo";
import type { Project } from "../generated/Project";
import { api } from "../api/client";
import { LengthField } from "../parts/LengthField";
import { Mark } from "../parts/Mark";
import { NumberField } from "../parts/NumberField";
import { degrees, length } from "../parts/units";
import type { Stand } from "./useStand";

interface Props {
  project: Project;
  stand: Stand;
  /** What is found: of the moving place while it moves, with all rules once it is still. */
  findings: FindingInfo[];
  onShow: (heading: number, pitch: number) => void;
}

/** What is near, and what is wrong with the place. */
export function AroundPanel({ project, stand, findings, onShow }: Props) {
  const queries = useQueryClient();
  const near = stand.clearance?.nearest;
  const { stand: limits } = project.settings;
  return (
    <div className="flex flex-col gap-2">
      <div className="flex flex-wrap items-end gap-3">
        <p className="min-w-48 flex-1 text-[13px]" data-testid="nearest">
          {near ? (
            <>
              Nearest: “{near.object}”, {length(near.distance_m)} at heading {degrees(near.heading_deg, 0)},
              pitch {degrees(near.pitch_deg, 0)}
            </>
          ) : (
            "Nothing is near."
          )}
        </p>
        <div className="w-28">
          <LengthField
            label="Free space"
            step={0.05}
            min={0}
            max={10}
            value={limits.beside_m}
            onChange={(beside_m) => stand.settings((now) => ({ stand: { ...now.stand, beside_m } }))}
          />
        </div>
        <div className="w-28">
          <NumberField
            label="Eye separation"
            unit="mm"
            digits={1}
            min={0}
            value={limits.eye_separation_mm}
            onChange={(eye_separation_mm) =>
              stand.settings((now) => ({ stand: { ...now.stand, eye_separation_mm } }))
            }
          />
        </div>
      </div>
      {findings.length === 0 && (
        <p className="text-[13px]">
          <Mark kind="fine">
            <span className="text-base-content">There is room all round.</span>
          </Mark>
        </p>
      )}
      <ul>
        {findings.map((f) => (
          <FindingRow
            key={`${f.rule}-${f.what}`}
            finding={f}
            place={false}
            stale={!stand.fresh}
            onFix={(finding) =>
              stand.whole(async () => {
                await applyFix(queries, project, finding);
                return api.project(project.id);
              })
            }
            onShow={(finding) => onShow(finding.heading_deg ?? 0, finding.pitch_deg ?? 0)}
          />
        ))}
      </ul>
    </div>
  );
}
