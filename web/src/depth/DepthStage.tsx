import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useLocation } from "wouter";
import { changeSettings, changeViewpoint } from "../api/changing";
import { api } from "../api/client";
import type { OffenderInfo } from "../generated/OffenderInfo";
import type { PickedDepth } from "../generated/PickedDepth";
import type { Project } from "../generated/Project";
import type { Rig } from "../generated/Rig";
import type { RigKind } from "../generated/RigKind";
import { Choice } from "../parts/Choice";
import { Problem } from "../parts/Problem";
import { SelectField } from "../parts/SelectField";
import { Tabs } from "../parts/Tabs";
import { length } from "../parts/units";
import { draftOf } from "../stand/useStand";
import { DepthChart } from "./DepthChart";
import { DepthPlan } from "./DepthPlan";
import { DepthTimeChart } from "./DepthTimeChart";
import { FlatFields } from "./FlatFields";
import { OffenderList } from "./OffenderList";
import { OverTimePanel } from "./OverTimePanel";
import { PairView } from "./PairView";
import { PanoramicFields } from "./PanoramicFields";
import { TitleFields } from "./TitleFields";
import { useDepth } from "./useDepth";
import { useDepthFrames } from "./useDepthFrames";

type Tab = "pair" | "titles" | "beyond" | "time" | "plan";

/** How deep it is: one eye, a panoramic pair or a flat pair, and what they make of what they see. */
export function DepthStage({ project }: { project: Project }) {
  const [, go] = useLocation();
  const [chosen, setChosen] = useState(project.viewpoints[0]?.id ?? 0);
  const viewpoint = project.viewpoints.find((v) => v.id === chosen) ?? project.viewpoints[0];
  const { rig, change, place, dragging, depth, error } = useDepth(project, viewpoint);
  const [tab, setTab] = useState<Tab>("pair");
  const [picked, setPicked] = useState<PickedDepth | null>(null);
  const [looked, setLooked] = useState<OffenderInfo | null>(null);
  const [problem, setProblem] = useState<unknown>(null);
  const queries = useQueryClient();
  const [rate, setRate] = useState("30");
  const checked = useDepthFrames(project, viewpoint, rig, rate, tab === "time" && !dragging);
  if (!viewpoint || !rig) return null;
  const two = rig.kind !== "off";
  const set = (part: Partial<Rig>, end = true) => change({ ...rig, ...part }, end);
  const pick = (place: [number, number]) => {
    setProblem(null);
    api.depthAt(project.id, { pose: viewpoint.pose, rig, pick: place }).then(setPicked).catch(setProblem);
  };
  /** Zero parallax at a distance, of whichever kind the pair is. */
  const converge = (to: number, end = true) =>
    rig.kind === "flat" ? set({ flat: { ...rig.flat, converge_m: to } }, end) : set({ converge_m: to }, end);
  const goTo = (time_s: number) => {
    setProblem(null);
    changeSettings(queries, project, { time_s }).catch(setProblem);
  };
  const beyond = (depth?.offenders.length ?? 0) + (depth?.violations.length ?? 0);
  const tabs: [Tab, string][] = [
    ["pair", "The pair"],
    ["titles", rig.titles.length > 0 ? `Titles (${rig.titles.length})` : "Titles"],
    ["beyond", beyond > 0 ? `Beyond comfort (${beyond})` : "Beyond comfort"],
    ["time", "Over time"],
    ["plan", "Plan of all"],
  ];
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,22rem)_minmax(0,1fr)] gap-4 xl:grid-cols-[minmax(0,25rem)_minmax(0,1fr)] xl:gap-5 min-[1900px]:grid-cols-[minmax(0,31rem)_minmax(0,1fr)]">
      <section className="flex min-h-0 flex-col gap-2" aria-label="Eyes">
        <div className="grid grid-cols-2 gap-x-3">
          <SelectField
            label="Viewpoint"
            value={viewpoint.id}
            options={project.viewpoints.map((v) => [v.id, v.name])}
            onChange={(id) => {
              setChosen(id);
              setPicked(null);
              setLooked(null);
            }}
          />
          <Choice<RigKind>
            label="Eyes"
            value={rig.kind}
            options={[
              ["off", "One eye"],
              ["panoramic", "Panoramic pair (headset)"],
              ["flat", "Flat pair (screen)"],
            ]}
            onChange={(kind) => {
              setPicked(null);
              set({ kind });
            }}
          />
        </div>
        <Tabs label="About the pair" tabs={tabs} chosen={tab} onChoose={setTab} />
        <div
          className="scrolls min-h-0 flex-1 space-y-2 pr-1"
          role="tabpanel"
          aria-label={tabs.find(([t]) => t === tab)?.[1]}
          tabIndex={0}
        >
          {tab === "pair" && rig.kind === "panoramic" && (
            <PanoramicFields rig={rig} depth={depth} onChange={set} />
          )}
          {tab === "pair" && rig.kind === "flat" && (
            <FlatFields
              rig={rig}
              depth={depth}
              project={project}
              pose={viewpoint.pose}
              onChange={set}
              onPlace={place}
              onProblem={setProblem}
            />
          )}
          {tab === "titles" &&
            (two ? (
              <TitleFields rig={rig} pose={viewpoint.pose} depth={depth} onChange={set} />
            ) : (
              <p className="text-sm text-base-content/80">
                Titles stand before two eyes; choose a pair first.
              </p>
            ))}
          {tab === "pair" && rig.kind === "off" && (
            <p className="text-sm text-base-content/80">
              One eye sees no depth. A panoramic pair turns with the direction of view and suits headsets; a
              flat pair is two framed cameras beside each other and suits screens. What is set for one kind is
              kept while the other is chosen.
            </p>
          )}
          {tab === "beyond" && <OffenderList depth={depth} rig={rig} onLook={setLooked} onChange={set} />}
          {tab === "time" && (
            <OverTimePanel
              viewpoint={viewpoint}
              rig={rig}
              checked={checked}
              rate={rate}
              onRate={setRate}
              onPath={(path) =>
                changeViewpoint(queries, project.id, viewpoint, { ...draftOf(viewpoint), rig, path })
              }
              onShow={(offence) => {
                setLooked(offence.offender);
                goTo(offence.worst.time_s);
              }}
            />
          )}
          {tab === "plan" && <DepthPlan project={project} chosen={viewpoint.id} onChoose={setChosen} />}
        </div>
        <Problem error={error ?? problem} />
        <button
          type="button"
          className="btn btn-primary btn-sm"
          onClick={() => go(`/project/${project.id}/render?viewpoint=${viewpoint.id}`)}
        >
          {two ? "Order both eyes" : "Order a render"}
        </button>
      </section>
      <section className="flex min-h-0 flex-col gap-2" aria-label="What the eyes see">
        <PairView
          project={project}
          viewpoint={viewpoint}
          rig={rig}
          depth={depth}
          moving={dragging}
          looked={looked}
          onPick={two ? pick : undefined}
        />
        {picked && (
          <p className="ml-9 flex flex-wrap items-center gap-x-3 text-xs" data-testid="picked-depth">
            <span>
              <span className="font-semibold">{picked.object}</span> at {length(picked.distance_m)}
              {picked.px !== null && `, parallax ${picked.px.toFixed(1)} px`}
              {picked.degrees !== null && `, ${picked.degrees.toFixed(2)}° between the eyes`}
              {picked.roundness !== null && `, roundness ${picked.roundness.toFixed(2)}`}
            </span>
            <button
              type="button"
              className="btn btn-xs"
              onClick={() => {
                converge(Number(picked.distance_m.toFixed(3)));
                setPicked(null);
              }}
            >
              Put zero parallax here
            </button>
          </p>
        )}
        {tab === "time" && checked.total > 0 && (
          <DepthTimeChart
            frames={checked.frames}
            total={checked.total}
            rig={rig}
            time={project.settings.time_s}
            onMoment={goTo}
          />
        )}
        {depth && (tab !== "time" || checked.total === 0) && (
          <DepthChart
            depth={depth}
            rig={rig}
            onConverge={converge}
            project={project}
            viewpoint={viewpoint}
            onRig={change}
            onProblem={setProblem}
          />
        )}
      </section>
    </div>
  );
}
