import type { Order } from "../generated/Order";
import type { Project } from "../generated/Project";
import { duration } from "../parts/units";
import { Horizon } from "../sphere/Horizon";
import { useLivePicture } from "../sphere/useLivePicture";
import { Strips } from "./OrderRow";

/** Why there is nothing of an order yet. */
function nothingYet({ state }: Order): string {
  if (state === "held") return "Nothing is rendered yet: it is on hold.";
  if (state === "waiting") return "Nothing is rendered yet: it waits for its turn.";
  return state === "running" ? "The first rows are on their way." : "Nothing of it is rendered.";
}

/** An order on its way: its strips, and the live picture, dimmed, where there are none yet. */
export function OrderHorizon({ project, order, note }: { project: Project; order: Order; note: string }) {
  const { pose, settings, clay } = order.spec;
  const setup = settings.setup.number;
  const there = project.settings.other_setups.some((s) => s.setup.number === setup);
  const live = useLivePicture(project.id, pose, project.settings, {
    clay,
    brief: true,
    moment: settings.time_s,
    ...(there ? { setup } : {}),
  });
  const none = order.strips.length === 0 && order.under_way === null;
  return (
    <Horizon
      picture={live.url}
      dimmed
      label={`Render of ${order.spec.viewpoint}`}
      heading={pose.heading_deg}
      turned={live.turned}
      pitch={pose.pitch_deg}
      roll={pose.roll_deg}
      note={
        <span>
          {note}
          {order.noise_percent !== null && `, noise ${order.noise_percent.toFixed(1)} % so far`}
          {order.remaining_s !== null && `, ${duration(order.remaining_s)} left`}
          {live.url && " · Dimmed: the live picture, not rendered yet"}
        </span>
      }
    >
      <Strips key={order.id} order={order} />
      {none && (
        <p className="pointer-events-none absolute inset-x-0 bottom-3 flex justify-center text-sm">
          <span className="rounded-full bg-[#262a33]/80 px-3 py-1 text-[#f5f0e6]">{nothingYet(order)}</span>
        </p>
      )}
    </Horizon>
  );
}
