import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useLocation } from "wouter";
import { api } from "../api/client";
import { keys } from "../api/changes";
import { changeSettings, type SettingsPart } from "../api/changing";
import type { Project } from "../generated/Project";
import { ConfirmButton } from "../parts/ConfirmButton";
import { Busy } from "../parts/Busy";
import { Mark } from "../parts/Mark";
import { NumberField } from "../parts/NumberField";
import { Problem } from "../parts/Problem";
import { SelectField } from "../parts/SelectField";
import { Switch } from "../parts/Switch";
import { Tabs } from "../parts/Tabs";
import { count, length } from "../parts/units";
import { Horizon } from "../sphere/Horizon";
import { lightWords, useLivePicture } from "../sphere/useLivePicture";
import { ExposureControl } from "./ExposureControl";
import { FramePanel, frameDoubt } from "./FramePanel";
import { ImportReport } from "./ImportReport";
import { MeterNote } from "./MeterNote";
import { LightList } from "./LightList";
import { ObjectTable } from "./ObjectTable";
import { OtherLight } from "./OtherLight";
import { ProjectName } from "./ProjectName";
import { ScaleCheck } from "./ScaleCheck";
import { SetupBar, setupsOf } from "./SetupBar";
import { SurroundingsControl } from "./SurroundingsControl";

function Fact({ name, value }: { name: string; value: string }) {
  return (
    <div>
      <dt className="text-xs text-base-content/75">{name}</dt>
      <dd className="font-display text-lg leading-tight">{value}</dd>
    </div>
  );
}

type Tab = "objects" | "lights" | "frame" | "report";

/** What is here: objects, lights, surroundings, the scale, and what was left out. */
export function SceneStage({ project }: { project: Project }) {
  const { scene, settings } = project;
  const queries = useQueryClient();
  const [, go] = useLocation();
  const [tab, setTab] = useState<Tab>("objects");
  const [clay, setClay] = useState(false);
  const [compared, setCompared] = useState<number | null>(null);
  const other = setupsOf(settings).find((s) => s.number === compared && s.number !== settings.setup.number);
  const [chosen, setChosen] = useState(project.viewpoints[0]?.id ?? 0);
  const viewpoint = project.viewpoints.find((v) => v.id === chosen) ?? project.viewpoints[0];
  const live = useLivePicture(
    project.id,
    viewpoint?.pose ?? { position: [0, 0, 0], heading_deg: 0, pitch_deg: 0, roll_deg: 0 },
    settings,
    { clay },
  );
  const [pointed, setPointed] = useState<[number, number] | null>(null);
  // What was measured in another light or elsewhere is no reading of this picture.
  const metered = `${project.version} ${viewpoint?.id}`;
  const reading = useMutation({
    mutationFn: async (place: readonly [number, number]) => ({
      found: await api.meter(project.id, viewpoint?.id ?? 0, place),
      of: metered,
    }),
  });
  const change = useMutation({
    mutationFn: (part: SettingsPart) => changeSettings(queries, project, part),
  });
  const remove = useMutation({
    mutationFn: () => api.removeProject(project.id),
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: keys.projects });
      go("/");
    },
  });
  const eye = viewpoint?.pose.position ?? [0, 0, 0];
  const { data: floor } = useQuery({
    queryKey: ["floor", project.id, eye, settings.unit, settings.up, settings.time_s],
    queryFn: () => api.floor(project.id, eye),
    placeholderData: (before) => before,
    gcTime: 10_000,
  });
  const room = floor?.ceiling_y != null && floor.floor_y !== null ? floor.ceiling_y - floor.floor_y : null;
  const size = scene.max.map((v, i) => v - (scene.min[i] ?? 0));
  const odd = scene.left_out.length + scene.notices.length + (settings.unmatched.length > 0 ? 1 : 0);
  const tabs: [Tab, string][] = [
    ["objects", `Objects ${count(scene.objects.length)}`],
    ["lights", "Lights"],
    ["frame", frameDoubt(project) ? "Up and unit: check" : "Up and unit"],
    ["report", odd > 0 ? `Import: ${odd} to check` : "Import"],
  ];

  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)_minmax(0,1.15fr)] gap-4 xl:gap-5">
      <section className="flex min-h-0 flex-col gap-3">
        <div className="flex items-baseline justify-between gap-3">
          <h1 className="truncate text-2xl">{scene.file}</h1>
          <p className="text-xs whitespace-nowrap text-base-content/75">{scene.format}</p>
        </div>
        <dl className="grid grid-cols-[auto_auto_auto_1fr] gap-x-5 gap-y-2">
          <Fact name="Triangles" value={count(scene.triangles)} />
          <Fact name="Materials" value={count(scene.materials)} />
          <Fact name="Textures" value={count(scene.textures)} />
          <Fact
            name="Size (x × height × z)"
            value={`${length(size[0] ?? 0)} × ${length(size[1] ?? 0)} × ${length(size[2] ?? 0)}`}
          />
        </dl>
        <ScaleCheck
          place={viewpoint?.name ?? ""}
          room={room}
          size={size}
          unit={settings.unit}
          onUnit={(unit) => change.mutate({ unit })}
        />
        <Tabs label="What is in the scene" tabs={tabs} chosen={tab} onChoose={setTab} />
        {tab === "objects" && <ObjectTable objects={scene.objects} />}
        {tab === "frame" && <FramePanel project={project} busy={change.isPending} onChange={change.mutate} />}
        {tab === "report" && <ImportReport project={project} />}
        {tab === "lights" && viewpoint && (
          <LightList
            project={project}
            viewpoint={viewpoint}
            lights={settings.lights}
            onChange={(next) => change.mutate((now) => ({ lights: next(now.lights) }))}
            onGlass={(glass) => change.mutate({ glass })}
            onFileLight={(file_cd_m2) => change.mutate({ file_cd_m2 })}
          />
        )}
      </section>
      <section className="flex min-h-0 flex-col gap-3">
        <div className="scrolls flex min-h-0 flex-1 flex-col gap-3">
          <SetupBar project={project} compared={other ? compared : null} onCompare={setCompared} />
          <Horizon
            share={other ? 0.3 : 0.4}
            picture={live.url}
            label={`Unrolled picture from ${viewpoint?.name ?? "the viewpoint"}`}
            heading={viewpoint?.pose.heading_deg ?? 0}
            turned={live.turned}
            note={
              <span>
                {lightWords(live)
                  ? `Live from “${viewpoint?.name}”, ${lightWords(live)}`
                  : "Preparing the live picture"}
                <MeterNote
                  busy={reading.isPending}
                  found={reading.data?.of === metered ? reading.data.found : null}
                  error={reading.error}
                  pointed={pointed !== null}
                />
              </span>
            }
            onHover={setPointed}
            onPick={(lon, lat) => reading.mutate([lon / 360 + 0.5, 0.5 - lat / 180])}
          />
          {other && viewpoint && (
            <OtherLight project={project} pose={viewpoint.pose} setup={other} clay={clay} />
          )}
          <div className="flex flex-wrap items-end gap-4 pl-9">
            <SelectField
              label="Seen from"
              className="w-44"
              value={viewpoint?.id ?? 0}
              options={project.viewpoints.map((v) => [v.id, v.name])}
              onChange={setChosen}
            />
            <div className="w-36">
              <NumberField
                label="Live and draft light"
                unit="stops"
                value={settings.draft_stops}
                digits={1}
                step={0.5}
                min={-20}
                max={20}
                onChange={(draft_stops) => change.mutate({ draft_stops })}
              />
            </div>
            {viewpoint && (
              <ExposureControl
                project={project}
                viewpoint={viewpoint.id}
                onChange={(exposure_stops) => change.mutate({ exposure_stops })}
              />
            )}
            {scene.motion_s > 0 && (
              <div className="w-36">
                <NumberField
                  label={`Time (of ${scene.motion_s.toFixed(2)} s)`}
                  unit="s"
                  value={settings.time_s}
                  digits={2}
                  step={0.1}
                  min={0}
                  max={86400}
                  onChange={(time_s) => change.mutate({ time_s })}
                />
              </div>
            )}
            <div className="pb-1.5">
              <Switch label="Clay" on={clay} onChange={setClay} />
            </div>
            {settings.draft_stops !== 0 && (
              <p className="pb-1.5 text-xs">
                <Mark kind="look">Final renders do not use this brightness.</Mark>
              </p>
            )}
          </div>
          {change.isPending && <Busy>Reading the scene again …</Busy>}
          <Problem error={live.problem ?? change.error ?? remove.error} />
          <SurroundingsControl
            project={project.id}
            surroundings={settings.surroundings}
            onChange={(next) => change.mutate((now) => ({ surroundings: next(now.surroundings) }))}
          />
        </div>
        <div className="flex flex-wrap items-center justify-between gap-2">
          <div className="flex items-center gap-2">
            <ProjectName project={project} />
            <ConfirmButton
              label="Remove project"
              question={`Remove “${project.name}” with all its pictures?`}
              className="btn-sm"
              onConfirm={() => remove.mutate()}
            />
          </div>
          <button
            type="button"
            className="btn btn-primary"
            onClick={() => go(`/project/${project.id}/stand`)}
          >
            Choose where to stand
          </button>
        </div>
      </section>
    </div>
  );
}
