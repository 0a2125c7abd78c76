import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useLocation } from "wouter";
import { api } from "../api/client";
import { keys } from "../api/changes";
import { changeSettings } from "../api/changing";
import type { FindingInfo } from "../generated/FindingInfo";
import type { Project } from "../generated/Project";
import type { Purpose } from "../generated/Purpose";
import { Choice } from "../parts/Choice";
import { Mark } from "../parts/Mark";
import { Problem } from "../parts/Problem";
import { Switch } from "../parts/Switch";
import { applyFix } from "./applyFix";
import { FindingRow } from "./FindingRow";
import { usePreflight } from "./usePreflight";

const PURPOSES: readonly (readonly [Purpose, string])[] = [
  ["look", "Looking round on a screen"],
  ["headset", "A headset"],
  ["dome", "A dome"],
  ["light", "Lighting other scenes"],
];

/** Always in sight: how many things would spoil the result, and the list of them. */
export function PreflightPill({ project }: { project: Project }) {
  const queries = useQueryClient();
  const [, go] = useLocation();
  const [open, setOpen] = useState(false);
  const panel = useRef<HTMLDivElement>(null);
  const { findings, fresh, problem, again } = usePreflight(project);
  const fix = useMutation({
    mutationFn: (finding: FindingInfo) => applyFix(queries, project, finding),
    onSuccess: async () => {
      queries.setQueryData(keys.project(project.id), await api.project(project.id));
    },
  });
  const { stand } = project.settings;
  const settings = useMutation({
    mutationFn: (next: Project["settings"]["stand"]) => changeSettings(queries, project, { stand: next }),
  });
  useEffect(() => {
    if (!open) return;
    const close = (e: Event) => {
      const inside = e.target instanceof Node && panel.current?.contains(e.target);
      if (e instanceof KeyboardEvent ? e.key === "Escape" : !inside) setOpen(false);
    };
    window.addEventListener("keydown", close);
    window.addEventListener("pointerdown", close);
    return () => {
      window.removeEventListener("keydown", close);
      window.removeEventListener("pointerdown", close);
    };
  }, [open]);
  const count = (level: FindingInfo["level"]) => findings?.filter((f) => f.level === level).length ?? 0;
  const [stops, warns, notes] = [count("stop"), count("warn"), count("note")];
  const summary = problem
    ? { kind: "look" as const, text: "not checked" }
    : findings === undefined
      ? { kind: "busy" as const, text: "checking" }
      : stops > 0
        ? { kind: "stop" as const, text: `${stops} stop${stops === 1 ? "s" : ""}` }
        : warns > 0
          ? { kind: "look" as const, text: `${warns} to check` }
          : { kind: "fine" as const, text: notes > 0 ? `${notes} note${notes === 1 ? "" : "s"}` : "clear" };
  return (
    <div ref={panel} className="relative">
      <button
        type="button"
        className="flex flex-col rounded-lg border border-base-300 px-2.5 py-1 text-left leading-tight hover:bg-base-200"
        aria-expanded={open}
        aria-haspopup="true"
        data-testid="preflight"
        data-stops={stops}
        data-warns={warns}
        data-fresh={fresh}
        onClick={() => setOpen(!open)}
      >
        <span className="font-display text-[13px]">Preflight</span>
        <span className="text-xs whitespace-nowrap">
          <Mark kind={summary.kind}>{summary.text}</Mark>
        </span>
      </button>
      {open && (
        <div
          className="absolute right-0 z-30 mt-1.5 max-h-[32rem] w-96 overflow-auto rounded-box border border-base-300 bg-base-100 p-3 shadow-lg"
          role="region"
          aria-label="Preflight"
          tabIndex={0}
          data-testid="preflight-list"
        >
          <h2 className="text-sm">What would spoil the result</h2>
          <div className="mb-1 flex flex-wrap items-end gap-3 border-b border-base-300 pb-2">
            <Choice
              label="The pictures are for"
              value={stand.purpose}
              options={PURPOSES}
              onChange={(purpose) => settings.mutate({ ...stand, purpose })}
            />
            <div className="pb-1.5">
              <Switch
                label="Seen with two eyes"
                on={stand.stereo}
                onChange={(stereo) => settings.mutate({ ...stand, stereo })}
              />
            </div>
          </div>
          {problem && (
            <div className="flex items-center gap-2 py-2">
              <Problem error={problem} />
              <button type="button" className="btn btn-sm" onClick={again}>
                Check again
              </button>
            </div>
          )}
          {!problem && findings?.length === 0 && (
            <p className="py-2 text-sm">
              <Mark kind="fine">
                <span className="text-base-content">Nothing was found.</span>
              </Mark>
            </p>
          )}
          <ul>
            {findings?.map((f) => (
              <FindingRow
                key={`${f.rule}-${f.where}-${f.what}`}
                finding={f}
                place
                stale={!fresh}
                onFix={(finding) => fix.mutate(finding)}
                onShow={(finding) => {
                  setOpen(false);
                  go(
                    `/project/${project.id}/stand?viewpoint=${finding.viewpoint}&heading=${finding.heading_deg}&pitch=${finding.pitch_deg}`,
                  );
                }}
              />
            ))}
          </ul>
          <Problem error={fix.error ?? settings.error} />
        </div>
      )}
    </div>
  );
}
