import { useState } from "react";
import { useLocation, useSearch } from "wouter";
import type { Project } from "../generated/Project";
import { duration } from "../parts/units";
import { Horizon } from "../sphere/Horizon";
import { FinishedOrder } from "./FinishedOrder";
import { NewOrder } from "./NewOrder";
import { FlatPicture } from "./FlatPicture";
import { OrderRow, states, Strips } from "./OrderRow";

/** Orders and the queue; pictures appear on the Horizon as they are made. */
export function RenderStage({ project }: { project: Project }) {
  const [, go] = useLocation();
  const asked = Number(new URLSearchParams(useSearch()).get("viewpoint"));
  const [chosen, setChosen] = useState<number | null>(null);
  const order =
    project.orders.find((o) => o.id === chosen) ??
    project.orders.find((o) => o.state === "running") ??
    project.orders[0];
  const note =
    order &&
    `${order.spec.viewpoint}, ${order.spec.width} × ${order.spec.height} px: ${states[order.state].word}`;

  return (
    <div className="grid h-full min-h-[620px] grid-cols-[minmax(0,23rem)_minmax(0,1fr)] gap-5">
      <section className="min-h-0 overflow-auto pr-1" aria-label="New order">
        <NewOrder project={project} asked={asked} onOrder={setChosen} />
      </section>
      <section className="flex min-h-0 min-w-0 flex-col gap-2" aria-label="Picture and queue">
        {order?.state === "done" && (
          <FinishedOrder
            key={order.id}
            order={order}
            note={note ?? ""}
            onHandOver={() => go(`/project/${project.id}/hand-over?order=${order.id}`)}
          />
        )}
        {order && order.state !== "done" && order.spec.shape !== "equirect" && (
          <>
            <FlatPicture order={order} label={`Render of ${order.spec.viewpoint}`} picture={null}>
              <Strips order={order} />
            </FlatPicture>
            <p className="ml-9 text-xs text-base-content/80">{note}</p>
          </>
        )}
        {order && order.state !== "done" && order.spec.shape === "equirect" && (
          <Horizon
            picture={null}
            label={`Render of ${order.spec.viewpoint}`}
            heading={order.spec.pose.heading_deg}
            pitch={order.spec.pose.pitch_deg}
            roll={order.spec.pose.roll_deg}
            note={
              <span>
                {note}
                {order.noise_percent !== null && `, noise ${order.noise_percent.toFixed(1)} % so far`}
                {order.remaining_s !== null && `, ${duration(order.remaining_s)} left`}
              </span>
            }
          >
            <Strips order={order} />
          </Horizon>
        )}
        {!order && (
          <Horizon
            picture={null}
            label="No render yet"
            heading={0}
            note={<span>The picture appears here, strip by strip, as it is made.</span>}
          />
        )}
        <h2 className="ml-9 text-lg">Queue</h2>
        <ul className="ml-9 grid min-h-16 flex-1 grid-cols-2 content-start gap-2 overflow-auto">
          {project.orders.map((o) => (
            <OrderRow key={o.id} order={o} chosen={o.id === order?.id} onChoose={() => setChosen(o.id)} />
          ))}
          {project.orders.length === 0 && (
            <li className="text-sm text-base-content/75">Nothing is ordered yet.</li>
          )}
        </ul>
      </section>
    </div>
  );
}
