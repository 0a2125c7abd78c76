import { sceneKey } from "../scene/sceneKey";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useLocation, useSearchParams } from "wouter";
import { api } from "../api/client";
import type { Pose } from "../generated/Pose";
import type { Project } from "../generated/Project";
import { Busy } from "../parts/Busy";
import { Problem } from "../parts/Problem";
import { Tabs } from "../parts/Tabs";
import { length, wrapSigned } from "../parts/units";
import { Horizon } from "../sphere/Horizon";
import { Lookout } from "../sphere/Lookout";
import { pictureOf, worldOf, type View } from "../sphere/geometry";
import { lightWords, useLivePicture } from "../sphere/useLivePicture";
import { AroundPanel } from "./AroundPanel";
import { Compared } from "./Compared";
import { HorizonMarks } from "./HorizonMarks";
import { MovedPanel } from "./MovedPanel";
import { PathPanel } from "./PathPanel";
import { PlacePanel } from "./PlacePanel";
import { PlanView } from "./PlanView";
import { SectionView } from "./SectionView";
import { SeenPanel } from "./SeenPanel";
import { StartsPanel } from "./StartsPanel";
import { SurfacePanel, type Picked } from "./SurfacePanel";
import { ViewpointBar } from "./ViewpointBar";
import { ReadingLine } from "./ReadingLine";
import { TimeStrip } from "./TimeStrip";
import { along } from "./drawing";
import { hash } from "./names";
import { keyTimeNear, withPlace } from "./path";
import { placeOn } from "./placeOn";
import { stageMarks } from "./stageMarks";
import { usePath } from "./usePath";
import { useReading } from "./useReading";
import { useStand } from "./useStand";

type Tab = "place" | "path" | "around" | "surface" | "seen" | "starts" | "moved";

/** Rules whose findings need the light, and are told by the preflight alone. */
const SLOW_RULES = new Set(["dark-side", "surroundings", "lamp-in-sight", "travel"]);

/** Cut above the floor, metres: over tables and sills. */
const CUT = 1.1;

/** Where the viewer stands: plan, section, live Horizon and Lookout. */
export function StandStage({ project }: { project: Project }) {
  const [, go] = useLocation();
  const [query] = useSearchParams();
  const stand = useStand(project);
  const { viewpoint, current } = stand;
  const path = usePath(project, stand);
  const { pose } = path;
  const dragging = stand.dragging || path.moving;
  // What was found about the place at the project's moment says nothing of another one.
  const clearance = path.ahead !== null && !stand.dragging ? null : stand.clearance;
  const y = pose.position[1];
  const [tab, setTab] = useState<Tab>("place");
  const [view, setView] = useState<View>({ lon: 0, lat: 0, hfov: 75 });
  const [adding, setAdding] = useState(false);
  const [eyeHeight, setEyeHeight] = useState(1.6);
  const [compared, setCompared] = useState<number | null>(null);
  const [section, setSection] = useState(90);
  const [cutAbove, setCutAbove] = useState(CUT);
  const [picked, setPicked] = useState<Picked | null>(null);
  const [aim, setAim] = useState<{ heading: number; pitch: number } | null>(null);
  const [problem, setProblem] = useState<unknown>(null);
  const [hover, setHover] = useState<[number, number] | null>(null);
  const other = project.viewpoints.find((v) => v.id === compared && v.id !== viewpoint?.id);
  const live = useLivePicture(project.id, pose, project.settings, {
    moving: dragging,
    moment: path.ahead ?? undefined,
  });
  // Plans and starts change with the shape of the scene only.
  const { unit, time_s, moves } = project.settings;
  const version = JSON.stringify([unit, time_s, moves, sceneKey(project.scene)]);
  const shape = String(hash(version));

  const reading = useReading(
    project.id,
    dragging ? null : pose.position,
    hover,
    worldOf(view.lon, view.lat, pose),
    version,
  );
  const places = project.viewpoints.map((v) => v.pose.position);
  const { data: sights } = useQuery({
    queryKey: ["sights", project.id, places, version],
    queryFn: () => api.sightLines(project.id),
    placeholderData: (before) => before,
    gcTime: 10_000,
  });

  const show = (heading: number, pitch: number) => {
    const [lon, lat] = pictureOf(heading, pitch, pose);
    setView((v) => ({ ...v, lon, lat }));
  };
  // A finding may be shown from elsewhere: its viewpoint and direction stand in the address.
  const [asked, setAsked] = useState("");
  const wanted = query.toString();
  if (wanted !== asked) {
    setAsked(wanted);
    const id = Number(query.get("viewpoint"));
    const to = project.viewpoints.find((v) => v.id === id);
    if (to) {
      stand.choose(id);
      setTab("around");
      if (query.has("heading")) {
        const [lon, lat] = pictureOf(Number(query.get("heading")), Number(query.get("pitch")), to.pose);
        setView((v) => ({ ...v, lon, lat }));
      }
    }
  }

  if (!viewpoint) return null;
  /** A viewpoint that is moved from another moment than the project's begins where it is seen. */
  const lead = () => {
    if (path.ahead !== null && !stand.dragging) stand.change({ position: pose.position }, false);
  };
  /** A new key where the line passes nearest to a place, as far as the paper tells of it. */
  const addKey = (
    far: (place: Pose["position"]) => number,
    put: (place: Pose["position"]) => Pose["position"],
  ) => {
    if (!path.path || !path.info) return;
    const time = keyTimeNear(path.info, far);
    const on = path.info.moments.find((m) => m.key_time_s >= time) ?? path.info.moments.at(-1);
    if (on) path.change(withPlace(path.path, time, put(on.position)));
  };
  const pick = async (heading: number, pitch: number) => {
    setProblem(null);
    const seen = await api.look(project.id, pose.position, heading, pitch).catch((e: unknown) => {
      setProblem(e);
      return null;
    });
    setAim(null);
    setPicked(seen ? { heading, pitch, seen } : null);
    if (seen) setTab("surface");
  };
  const floorY = stand.floorY ?? y - eyeHeight;
  const cut = Number((floorY + cutAbove).toFixed(3));
  // What rays tell follows every move at once; what the light tells comes with the preflight.
  const findings = [
    ...(clearance?.findings ?? []),
    ...(dragging ? [] : stand.findings.filter((f) => SLOW_RULES.has(f.rule))),
  ];
  const opening = current.opening;
  const openingView: View | undefined = opening
    ? {
        lon: wrapSigned(opening.heading_deg - pose.heading_deg),
        lat: opening.pitch_deg,
        hfov: opening.hfov_deg,
      }
    : undefined;
  const marks = stageMarks(project, viewpoint.id, pose, findings, sights ?? [], picked, aim);
  const aimAt = (lon: number, lat: number) => {
    const [heading, pitch] = worldOf(lon, lat, pose);
    setAim({ heading, pitch });
  };
  const horizon = (
    <Horizon
      picture={live.url}
      label="Live unrolled picture"
      heading={pose.heading_deg}
      turned={live.turned}
      pitch={pose.pitch_deg}
      roll={pose.roll_deg}
      view={view}
      viewRatio={1.3}
      viewName="Lookout"
      opening={openingView}
      // The time strip needs its place below.
      share={path.path && !other ? (window.innerHeight > 950 ? 0.42 : 0.34) : 0.46}
      onHover={(place) =>
        setHover(place ? worldOf((place[0] - 0.5) * 360, (0.5 - place[1]) * 180, pose) : null)
      }
      // While something is brought, the pointer says where to; otherwise it turns the viewpoint.
      {...(aim
        ? { onPoint: aimAt }
        : {
            onTurn: stand.turnBy,
            onPick: (lon: number, lat: number) => void pick(...worldOf(lon, lat, pose)),
          })}
      note={
        <span data-testid="live" data-shown={live.shown}>
          {dragging
            ? live.turned === 0
              ? "Moving: own colours, without the light"
              : "Turning: the same picture, moved"
            : lightWords(live)
              ? `Live, ${lightWords(live)}`
              : "Preparing the light"}
        </span>
      }
    >
      <HorizonMarks marks={marks} turn={pose} />
    </Horizon>
  );
  const under = <ReadingLine reading={reading} />;
  const tabs: [Tab, string][] = [
    ["place", "Place"],
    ["path", path.path ? `Path (${path.path.keys.length})` : "Path"],
    ["around", findings.length > 0 ? `Clearance (${findings.length})` : "Clearance"],
    ["surface", "Picked"],
    ["seen", "In sight"],
    ["starts", "Suggestions"],
    ["moved", moves.length > 0 ? `Moved (${moves.length})` : "Moved"],
  ];

  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,21rem)_minmax(0,1fr)] gap-3 xl:grid-cols-[minmax(0,27rem)_minmax(0,1fr)] xl:gap-4 min-[1900px]:grid-cols-[minmax(0,36rem)_minmax(0,1fr)]">
      <section className="flex min-h-0 flex-col gap-2" aria-label="Plan and section">
        <ViewpointBar
          project={project}
          stand={{
            ...stand,
            choose: (id) => {
              stand.choose(id);
              setPicked(null);
              setAim(null);
              // In the new viewpoint's own frame the Lookout starts straight ahead.
              setView((v) => ({ ...v, lon: 0, lat: 0 }));
            },
          }}
          adding={adding}
          eyeHeight={eyeHeight}
          compared={other ? compared : null}
          onAdding={setAdding}
          onEyeHeight={setEyeHeight}
          onCompare={setCompared}
        />
        <div className="min-h-0 flex-[5]">
          <PlanView
            project={project.id}
            offset={project.scene.offset_m}
            version={shape}
            viewpoints={project.viewpoints}
            chosen={viewpoint.id}
            pose={pose}
            cut={cut}
            hfov={view.hfov}
            clearance={clearance}
            findings={findings}
            beside={project.settings.stand.beside_m}
            sights={sights ?? []}
            movers={project.scene.movers.filter((m) => m.camera || m.node === current.ride?.node)}
            picked={picked?.seen.point ?? null}
            section={section}
            adding={adding}
            onChoose={(id) => {
              stand.choose(id);
              setPicked(null);
              setAim(null);
            }}
            path={path}
            onMove={(dx, dz, end) => {
              lead();
              stand.moveBy(dx, dz, end);
            }}
            onLine={addKey}
            onAdd={(px, pz) => {
              setAdding(false);
              setProblem(null);
              const from: Pose = { ...pose, position: [px, cut + 0.5, pz] };
              void placeOn(project, viewpoint.id, from, { floorY, eyeHeight })
                .then(stand.add)
                .catch(setProblem);
            }}
            onPick={(heading) => void pick(heading, 0)}
            onSection={setSection}
          />
        </div>
        <div className="min-h-0 flex-[3]">
          <SectionView
            offset={project.scene.offset_m}
            project={project.id}
            version={shape}
            pose={pose}
            heading={section}
            clearance={clearance}
            moving={dragging}
            path={path}
            onMove={(up, far, end) => {
              const [dx, dz] = along(0, 0, section, far);
              lead();
              stand.shiftBy([dx, up, dz], end);
            }}
            onLine={addKey}
          />
        </div>
        <label className="flex items-center gap-2 text-xs text-base-content/80">
          <span className="whitespace-nowrap">Cut {length(cutAbove)} above the floor</span>
          <input
            type="range"
            className="range range-xs flex-1"
            min={0.05}
            max={3}
            step={0.05}
            value={cutAbove}
            onChange={(e) => setCutAbove(Number(e.target.value))}
          />
        </label>
        <button
          type="button"
          className="btn btn-primary btn-sm w-full"
          onClick={() => go(`/project/${project.id}/render?viewpoint=${viewpoint.id}`)}
        >
          Order a render
        </button>
      </section>
      <section className="flex min-h-0 flex-col gap-1.5" aria-label="View">
        {other ? (
          <div className="mx-auto flex w-full max-w-[37rem] flex-col gap-1">
            {horizon}
            {under}
            <Compared
              project={project}
              viewpoint={other}
              heading={pose.heading_deg}
              moving={stand.dragging}
            />
            <div className="pl-9">
              <button type="button" className="btn btn-sm font-normal" onClick={() => setCompared(null)}>
                End the comparison
              </button>
            </div>
          </div>
        ) : (
          <>
            {horizon}
            {under}
            {path.path && <TimeStrip path={path} shown={live.shown} />}
            <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,12rem)_minmax(0,1fr)] gap-3 pl-9 xl:grid-cols-[minmax(0,15rem)_minmax(0,1fr)] xl:gap-4 min-[1900px]:grid-cols-[minmax(0,26rem)_minmax(0,1fr)]">
              <Lookout
                picture={live.picture ?? null}
                view={view}
                turned={live.turned}
                onView={setView}
                label="Lookout"
                caption
                className="h-full min-h-28 w-full"
              />
              <div className="flex min-h-0 flex-col gap-2">
                <Tabs label="About this viewpoint" tabs={tabs} chosen={tab} onChoose={setTab} />
                <div
                  className="scrolls min-h-0 flex-1 pr-1"
                  role="tabpanel"
                  aria-label={tabs.find(([t]) => t === tab)?.[1]}
                  tabIndex={0}
                >
                  {tab === "place" && <PlacePanel project={project} stand={stand} view={view} />}
                  {tab === "path" && <PathPanel project={project} stand={stand} path={path} view={view} />}
                  {tab === "around" && (
                    <AroundPanel project={project} stand={stand} findings={findings} onShow={show} />
                  )}
                  {tab === "surface" && (
                    <SurfacePanel
                      project={project}
                      stand={stand}
                      picked={picked}
                      aim={aim}
                      onAim={setAim}
                      onDone={() => {
                        setAim(null);
                        setPicked(null);
                        setTab("moved");
                      }}
                    />
                  )}
                  {tab === "seen" && <SeenPanel project={project} stand={stand} onShow={show} />}
                  {tab === "starts" && <StartsPanel project={project} stand={stand} version={shape} />}
                  {tab === "moved" && <MovedPanel project={project} stand={stand} />}
                </div>
                {stand.busy && <Busy>Reading the scene again …</Busy>}
                <Problem error={stand.error ?? problem ?? path.problem ?? live.problem} />
              </div>
            </div>
          </>
        )}
      </section>
    </div>
  );
}
