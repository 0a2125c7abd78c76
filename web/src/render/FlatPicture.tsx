import type { ReactNode } from "react";
import type { Order } from "../generated/Order";

/** A picture in its own shape on neutral grey, for shapes that are not a sphere unrolled. */
export function FlatPicture({
  order,
  label,
  picture,
  children,
}: {
  order: Order;
  label: string;
  picture: string | null;
  children?: ReactNode;
}) {
  const { width, height } = order.spec;
  return (
    <figure
      aria-label={label}
      className="ml-9 flex h-[min(46vh,26rem)] items-center justify-center rounded-box bg-[#808080] p-2"
    >
      <div
        className="relative max-h-full max-w-full"
        style={{ aspectRatio: `${width} / ${height}`, height: "100%" }}
      >
        {picture !== null && (
          <img src={picture} alt={label} className="size-full object-contain" draggable={false} />
        )}
        {children}
      </div>
    </figure>
  );
}
