import type { Order } from "../generated/Order";
import { placesOf } from "./frames";

/** A strip of small pictures of a sequence, which fills up while it is made. */
export function FrameStrip({
  order,
  chosen,
  onChoose,
}: {
  order: Order;
  chosen: number | null;
  onChoose: (frame: number) => void;
}) {
  const tall = order.spec.height / order.spec.width;
  return (
    <ol
      className="ml-9 grid shrink-0 grid-cols-[repeat(auto-fill,minmax(3.5rem,1fr))] gap-1 min-[1600px]:grid-cols-[repeat(auto-fill,minmax(5rem,1fr))]"
      aria-label="Frames"
      data-testid="frame-strip"
    >
      {placesOf(order).map(({ frame, there }) => (
        <li key={frame} style={{ aspectRatio: `1 / ${Math.min(1, tall)}` }}>
          {there === null ? (
            <span
              className="flex size-full items-center justify-center rounded-sm border border-dashed border-base-300 text-xs text-base-content/85 tabular-nums"
              title={`Frame ${frame} is still to come`}
            >
              {frame}
            </span>
          ) : (
            <button
              type="button"
              aria-label={`Frame ${there}`}
              aria-pressed={there === chosen}
              className={`relative block size-full overflow-hidden rounded-sm outline-offset-1 ${there === chosen ? "outline-2 outline-secondary" : "hover:outline-2 hover:outline-base-300"}`}
              onClick={() => onChoose(there)}
            >
              <img
                src={`/api/orders/${order.id}/frames/${there}/small.jpg?${order.picture ?? ""}`}
                alt=""
                draggable={false}
                className="size-full object-cover"
              />
              <span className="absolute right-0 bottom-0 rounded-tl-sm bg-[#262a33]/75 px-1 text-xs leading-3 text-[#f5f0e6] tabular-nums">
                {there}
              </span>
            </button>
          )}
        </li>
      ))}
    </ol>
  );
}
