import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../api/client";
import type { Order } from "../generated/Order";
import type { Pass } from "../generated/Pass";
import { Horizon } from "../sphere/Horizon";
import { FlatPicture } from "./FlatPicture";
import { DEPTH_BANDS, passName } from "./passes";
import { light } from "../parts/units";
import { shapeName } from "./shapes";

/** What the colours of a pass mean. */
function Legend({ pass }: { pass: Pass }) {
  if (pass === "depth")
    return (
      <ul className="flex flex-wrap gap-x-3 text-xs" aria-label="Bands of distance">
        {DEPTH_BANDS.map(([start, colour], i) => (
          <li key={start} className="flex items-center gap-1">
            <span className="size-3 rounded-xs" style={{ background: colour }} aria-hidden="true" />
            {DEPTH_BANDS[i + 1] ? `${start} to ${DEPTH_BANDS[i + 1]?.[0]} m` : `from ${start} m`}
          </li>
        ))}
      </ul>
    );
  const words: Partial<Record<Pass, string>> = {
    normal: "Red is east (+x), green up (+y), blue south (+z); middle grey is none.",
    noise: "White is a noise of 20 % of the displayed value.",
    "ambient-occlusion": "White is open within the radius ordered, black is closed in.",
    roughness: "Black is smooth, white is rough.",
    alpha: "White is solid, black is nothing.",
    halves: "How far the two halves of the samples lie apart, halved: middle grey is not at all.",
    "taken-out":
      "Brighter than middle grey: denoising took light away; darker: it added some. Shapes in it are detail that is lost. Full white and black are a difference as large as the picture's white.",
    "object-mask": "One colour for each object; its name stands under the pointer.",
  };
  return words[pass] ? <p className="text-xs text-base-content/80">{words[pass]}</p> : null;
}

/** A finished master and its passes, each shown in a way fit for it. */
export function FinishedOrder({
  order,
  note,
  onHandOver,
}: {
  order: Order;
  note: string;
  onHandOver: () => void;
}) {
  const [pass, setPass] = useState<Pass | null>(null);
  const [place, setPlace] = useState<[number, number] | null>(null);
  const shown = pass !== null && order.spec.passes.includes(pass) ? pass : null;
  // Other shapes are shown as the sphere that they hold, and as they were made.
  const sphere = order.spec.shape === "equirect";
  const [asMade, setAsMade] = useState(false);
  const flat = !sphere && (asMade || shown !== null);
  // To the nearest five-hundredth: a pointer that hardly moves asks once.
  const [u, v] = place?.map((x) => Math.round(x * 500) / 500) ?? [null, null];
  const { data: value } = useQuery({
    queryKey: ["pass-value", order.id, shown, u, v],
    queryFn: ({ signal }) => api.passValue(order.id, shown ?? "depth", u ?? 0, v ?? 0, signal),
    enabled: shown !== null && u !== null && v !== null,
    placeholderData: (before) => before,
    gcTime: 10_000,
  });
  return (
    <>
      {flat ? (
        <FlatPicture
          order={order}
          label={`Render of ${order.spec.viewpoint}, ${shown ? passName(shown) : "as made"}`}
          picture={shown === null ? `/api/orders/${order.id}/flat.jpg` : api.passPicture(order.id, shown)}
        />
      ) : (
        <Horizon
          picture={shown === null ? `/api/orders/${order.id}/picture.jpg` : api.passPicture(order.id, shown)}
          label={`Render of ${order.spec.viewpoint}${shown ? `, ${passName(shown)}` : ""}`}
          heading={order.spec.pose.heading_deg}
          pitch={order.spec.pose.pitch_deg}
          roll={order.spec.pose.roll_deg}
          onHover={setPlace}
          note={
            <span data-testid="pass-value">
              {shown !== null && place && value !== undefined ? `${passName(shown)} here: ${value}` : note}
            </span>
          }
        />
      )}
      <div className="mt-1 ml-9 flex flex-col gap-2">
        {(order.spec.passes.length > 0 || !sphere) && (
          <div
            className="flex flex-wrap gap-1.5"
            role="group"
            aria-label={sphere ? "Passes" : "Views and passes"}
          >
            {!sphere && (
              <button
                type="button"
                aria-pressed={flat && shown === null}
                className={`rounded-full border px-2.5 py-0.5 text-[13px] ${flat && shown === null ? "border-secondary bg-secondary text-secondary-content" : "border-base-300 hover:bg-base-200"}`}
                onClick={() => {
                  setPass(null);
                  setAsMade(true);
                }}
              >
                As made: {shapeName(order.spec.shape)}
              </button>
            )}
            {[null, ...order.spec.passes].map((p) => (
              <button
                key={p ?? "beauty"}
                type="button"
                aria-pressed={shown === p && !(flat && p === null)}
                className={`rounded-full border px-2.5 py-0.5 text-[13px] ${shown === p && !(flat && p === null) ? "border-secondary bg-secondary text-secondary-content" : "border-base-300 hover:bg-base-200"}`}
                onClick={() => {
                  setPass(p);
                  setAsMade(false);
                }}
              >
                {p === null ? (sphere ? "Picture" : "On the Horizon") : passName(p)}
              </button>
            ))}
          </div>
        )}
        {shown !== null && (
          <div className="flex flex-wrap items-center gap-4">
            <Legend pass={shown} />
            <a className="btn btn-ghost btn-xs font-normal" href={api.passFile(order.id, shown)} download>
              Download this pass (EXR)
            </a>
          </div>
        )}
        <div className="mt-1 flex items-center justify-between gap-4">
          <p className="text-sm text-base-content/80">
            The master is kept: linear OpenEXR, {order.spec.passes.length > 0 ? "all passes in it, " : ""}
            untouched by what follows
            {order.spec.white_cd_m2 === null
              ? ""
              : `; 1 in it is ${light(order.spec.white_cd_m2)} cd/m², its white`}
            .
          </p>
          <button type="button" className="btn btn-primary" onClick={onHandOver}>
            Hand it over
          </button>
        </div>
      </div>
    </>
  );
}
