import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useLocation, useSearch } from "wouter";
import { api } from "../api/client";
import { keys } from "../api/changes";
import type { Project } from "../generated/Project";
import type { Viewpoint } from "../generated/Viewpoint";
import { duration } from "../parts/units";
import { Horizon } from "../sphere/Horizon";
import { useLivePicture } from "../sphere/useLivePicture";
import type { Again } from "./again";
import { FinishedOrder } from "./FinishedOrder";
import { NewOrder } from "./NewOrder";
import { FlatPicture } from "./FlatPicture";
import { renderWord } from "../jobs/states";
import { OrderRow, Strips } from "./OrderRow";
import { OrderHorizon } from "./OrderHorizon";
import { QueueBar } from "./QueueBar";
import { inTurn } from "./turns";
import { SequenceOrder } from "./SequenceOrder";

/** Before anything is rendered: what the chosen viewpoint sees, live. */
function LiveHorizon({
  project,
  viewpoint,
  setup,
}: {
  project: Project;
  viewpoint: Viewpoint;
  setup: number | null;
}) {
  const other = project.settings.other_setups.some((s) => s.setup.number === setup);
  const live = useLivePicture(
    project.id,
    viewpoint.pose,
    project.settings,
    other && setup !== null ? { setup } : {},
  );
  return (
    <Horizon
      picture={live.url}
      label={`Live picture from ${viewpoint.name}`}
      heading={viewpoint.pose.heading_deg}
      turned={live.turned}
      pitch={viewpoint.pose.pitch_deg}
      roll={viewpoint.pose.roll_deg}
      note={
        <span>
          Live from “{viewpoint.name}”. Nothing is rendered yet; the picture appears here, strip by strip.
        </span>
      }
    />
  );
}

/** Orders and the queue; pictures appear on the Horizon as they are made. */
export function RenderStage({ project }: { project: Project }) {
  const [, go] = useLocation();
  const asked = Number(new URLSearchParams(useSearch()).get("viewpoint"));
  const [chosen, setChosen] = useState<number | null>(null);
  const [again, setAgain] = useState<Again | null>(null);
  const [ahead, setAhead] = useState(asked);
  const [light, setLight] = useState<number | null>(null);
  const viewpoint = project.viewpoints.find((v) => v.id === ahead) ?? project.viewpoints[0];
  const { data: jobs = [] } = useQuery({ queryKey: keys.jobs, queryFn: api.jobs });
  const { data: machine, error: unknown } = useQuery({ queryKey: keys.machine, queryFn: api.machine });
  const { data: projects = [] } = useQuery({ queryKey: keys.projects, queryFn: api.projects });
  const others = jobs.filter(
    (j) => j.kind === "order" && j.project !== project.id && (j.state === "running" || j.state === "waiting"),
  );
  const nameOf = (id: number | null) => projects.find((p) => p.id === id)?.name ?? "another project";
  const order =
    project.orders.find((o) => o.id === chosen) ??
    project.orders.find((o) => o.state === "running") ??
    project.orders[0];
  const note =
    order &&
    `${order.spec.viewpoint}, ${order.spec.width} × ${order.spec.height} px: ${renderWord(order.state)}`;

  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,20rem)_minmax(0,1fr)] gap-4 xl:grid-cols-[minmax(0,23rem)_minmax(0,1fr)] xl:gap-5">
      <section className="flex min-h-0 flex-col" aria-label="New order">
        {(machine ?? unknown) && (
          <NewOrder
            key={again ? `${again.order.id} ${again.instead}` : "new"}
            again={again}
            onDone={() => setAgain(null)}
            project={project}
            denoiser={machine?.denoiser ?? false}
            asked={asked}
            onOrder={setChosen}
            onViewpoint={setAhead}
            onLight={setLight}
          />
        )}
      </section>
      <section className="flex min-h-0 min-w-0 flex-col gap-2" aria-label="Picture and queue">
        {order?.frames && (
          <SequenceOrder
            key={order.id}
            order={order}
            onHandOver={() => go(`/project/${project.id}/hand-over?order=${order.id}`)}
          />
        )}
        {order?.state === "done" && !order.frames && (
          <FinishedOrder
            key={order.id}
            order={order}
            note={note ?? ""}
            onHandOver={() => go(`/project/${project.id}/hand-over?order=${order.id}`)}
          />
        )}
        {order && !order.frames && order.state !== "done" && order.spec.shape !== "equirect" && (
          <>
            <FlatPicture order={order} label={`Render of ${order.spec.viewpoint}`} picture={null}>
              <Strips key={order.id} order={order} />
            </FlatPicture>
            <p className="ml-9 text-xs text-base-content/80">{note}</p>
          </>
        )}
        {order && !order.frames && order.state !== "done" && order.spec.shape === "equirect" && (
          <OrderHorizon key={order.id} project={project} order={order} note={note ?? ""} />
        )}
        {!order && viewpoint && <LiveHorizon project={project} viewpoint={viewpoint} setup={light} />}
        <QueueBar project={project.id} jobs={jobs} />
        {others.length > 0 && (
          <p className="ml-9 text-xs text-base-content/80" data-testid="other-orders">
            {others
              .map(
                (o) =>
                  `“${nameOf(o.project)}”: ${o.what} ${o.state === "running" ? `is rendered, ${Math.floor(o.progress * 100)} %${o.remaining_s === null ? "" : `, ${duration(o.remaining_s)} left`}` : "waits"}`,
              )
              .join(" · ")}
          </p>
        )}
        <ul className="scrolls ml-9 grid min-h-16 flex-1 grid-cols-1 content-start gap-2 min-[1200px]:grid-cols-2">
          {inTurn(project.orders, jobs).map((o) => (
            <OrderRow
              key={o.id}
              order={o}
              setups={project.settings.other_setups.length + 1}
              chosen={o.id === order?.id}
              onChoose={() => setChosen(o.id)}
              onAgain={(instead) => setAgain({ order: o, instead })}
            />
          ))}
          {project.orders.length === 0 && (
            <li className="text-sm text-base-content/75">Nothing is ordered yet.</li>
          )}
        </ul>
      </section>
    </div>
  );
}
