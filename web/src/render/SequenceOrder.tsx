import { useState } from "react";
import type { Order } from "../generated/Order";
import { duration, perSecond } from "../parts/units";
import { Horizon } from "../sphere/Horizon";
import { FlatPicture } from "./FlatPicture";
import { FrameStrip } from "./FrameStrip";
import { framesTold } from "./frames";
import { renderWord } from "../jobs/states";

/** A sequence on its way or finished: one of its frames large, and a strip of all. */
export function SequenceOrder({ order, onHandOver }: { order: Order; onHandOver: () => void }) {
  const [chosen, setChosen] = useState<number | null>(null);
  const { frames, spec } = order;
  if (!frames) return null;
  // Without a choice the newest of those that are known to be there.
  const shown = chosen !== null && frames.shown.includes(chosen) ? chosen : (frames.shown.at(-1) ?? null);
  const picture =
    shown === null ? null : `/api/orders/${order.id}/frames/${shown}/picture.jpg?${order.picture ?? ""}`;
  const label = shown === null ? `Frames of ${spec.viewpoint}` : `Frame ${shown} of ${spec.viewpoint}`;
  const rate = spec.frames?.asked.rate ?? "";
  const note = (
    <span data-testid="frames-told">
      {label}: {renderWord(order.state)}, {framesTold(frames)}
      {order.remaining_s !== null && `, ${duration(order.remaining_s)} left`}
    </span>
  );
  return (
    <>
      {spec.shape === "equirect" ? (
        <Horizon
          picture={picture}
          label={label}
          heading={spec.pose.heading_deg}
          pitch={spec.pose.pitch_deg}
          roll={spec.pose.roll_deg}
          share={0.38}
          note={note}
        />
      ) : (
        <>
          <FlatPicture order={order} label={label} picture={picture} />
          <p className="ml-9 text-xs text-base-content/80">{note}</p>
        </>
      )}
      <FrameStrip order={order} chosen={shown} onChoose={setChosen} />
      <div className="ml-9 flex items-center justify-between gap-4">
        <p className="min-w-0 text-xs text-base-content/80">
          {frames.lasts_s.toFixed(2)} s at {perSecond(rate)}, in{" "}
          <span className="font-mono break-all" data-testid="frames-folder">
            {frames.folder}
          </span>
        </p>
        {order.state === "done" && (
          <button type="button" className="btn btn-primary btn-sm" onClick={onHandOver}>
            Make a film
          </button>
        )}
      </div>
    </>
  );
}
