import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useLocation, useSearch } from "wouter";
import { api } from "../api/client";
import { keys } from "../api/changes";
import type { Order } from "../generated/Order";
import type { Project } from "../generated/Project";
import { Mark, type Kind } from "../parts/Mark";
import { NumberField } from "../parts/NumberField";
import { Problem } from "../parts/Problem";
import { bytes, count, duration } from "../parts/units";
import { Horizon } from "../sphere/Horizon";

/** Usual widths and what they are for. */
const WIDTHS: [number, string][] = [
  [1024, "draft"],
  [2048, "quick look"],
  [4096, "web"],
  [6144, "web, sharp"],
  [8192, "large screen"],
  [12000, "headset"],
];

const states: Record<Order["state"], { kind: Kind; word: string }> = {
  queued: { kind: "none", word: "waiting" },
  running: { kind: "busy", word: "rendering" },
  stopped: { kind: "look", word: "stopped" },
  done: { kind: "fine", word: "done" },
  failed: { kind: "stop", word: "failed" },
};

function Strips({ order }: { order: Order }) {
  const height = order.spec.height;
  return order.strips.map(([top, rows]) => (
    <img
      key={top}
      src={`/api/orders/${order.id}/strips/${top}`}
      alt=""
      draggable={false}
      data-testid="strip"
      className="absolute left-0 w-full"
      style={{ top: `${(top / height) * 100}%`, height: `${(rows / height) * 100 + 0.05}%` }}
    />
  ));
}

function OrderRow({ order, chosen, onChoose }: { order: Order; chosen: boolean; onChoose: () => void }) {
  const queries = useQueryClient();
  const fresh = () => queries.invalidateQueries({ queryKey: keys.project(order.project) });
  const stop = useMutation({ mutationFn: () => api.stopOrder(order.id) });
  const resume = useMutation({ mutationFn: () => api.resumeOrder(order.id) });
  const remove = useMutation({ mutationFn: () => api.removeOrder(order.id), onSuccess: fresh });
  const { kind, word } = states[order.state];
  const percent = order.state === "done" ? 100 : Math.floor(order.progress * 100);
  return (
    <li
      data-testid="order"
      data-state={order.state}
      className={`rounded-box border px-3 py-2 ${chosen ? "border-secondary bg-base-200" : "border-base-300"}`}
    >
      <div className="flex items-baseline justify-between gap-3">
        <button
          type="button"
          className="truncate text-left font-display text-[15px] hover:underline"
          onClick={onChoose}
        >
          {order.spec.viewpoint}
        </button>
        <Mark kind={kind}>{word}</Mark>
      </div>
      <p className="text-xs text-base-content/80">
        {order.spec.width} × {order.spec.height} px, {count(order.spec.samples)} samples
        {order.master_bytes !== null && ` · master ${bytes(order.master_bytes)}`}
        {order.spent_s >= 1 && ` · ${duration(order.spent_s)} spent`}
      </p>
      {order.state !== "done" && (
        <div className="mt-1 flex items-center gap-2">
          <progress
            className="progress progress-secondary flex-1"
            value={order.progress}
            max={1}
            aria-label="Progress"
          />
          <span className="w-32 text-right text-xs">
            {percent} %{order.remaining_s !== null && `, ${duration(order.remaining_s)} left`}
          </span>
        </div>
      )}
      {order.problem && <Problem error={new Error(order.problem)} />}
      <Problem error={stop.error ?? resume.error ?? remove.error} />
      <div className="mt-1 flex gap-1">
        {(order.state === "running" || order.state === "queued") && (
          <button
            type="button"
            className="btn btn-ghost btn-xs font-normal"
            disabled={stop.isPending}
            onClick={() => stop.mutate()}
          >
            Stop
          </button>
        )}
        {(order.state === "stopped" || order.state === "failed") && (
          <button type="button" className="btn btn-ghost btn-xs font-normal" onClick={() => resume.mutate()}>
            Go on
          </button>
        )}
        {order.state === "done" && (
          <a
            className="btn btn-ghost btn-xs font-normal"
            href={`/api/orders/${order.id}/master.exr`}
            download
          >
            Download master (EXR)
          </a>
        )}
        <button
          type="button"
          className="btn btn-ghost btn-xs font-normal text-error"
          onClick={() => window.confirm("Remove this order with its pictures?") && remove.mutate()}
        >
          Remove
        </button>
      </div>
    </li>
  );
}

/** Orders and the queue; pictures appear on the Horizon as they are made. */
export function RenderStage({ project }: { project: Project }) {
  const queries = useQueryClient();
  const [, go] = useLocation();
  const asked = Number(new URLSearchParams(useSearch()).get("viewpoint"));
  const [viewpoint, setViewpoint] = useState(
    project.viewpoints.find((v) => v.id === asked)?.id ?? project.viewpoints[0]?.id ?? 0,
  );
  const [width, setWidth] = useState(2048);
  const [samples, setSamples] = useState(64);
  const [chosen, setChosen] = useState<number | null>(null);
  const { data: estimate, error } = useQuery({
    queryKey: ["estimate", width],
    queryFn: () => api.estimate(width),
    placeholderData: (before) => before,
    gcTime: 10_000,
  });
  const place = useMutation({
    mutationFn: () => api.order(project.id, { viewpoint, width, samples }),
    onSuccess: (order) => {
      // The line of events may have brought it already.
      queries.setQueryData<Project>(
        keys.project(project.id),
        (p) => p && { ...p, orders: [order, ...p.orders.filter((o) => o.id !== order.id)] },
      );
      setChosen(order.id);
    },
  });
  const order =
    project.orders.find((o) => o.id === chosen) ??
    project.orders.find((o) => o.state === "running") ??
    project.orders[0];
  const short = estimate?.free_bytes != null && estimate.free_bytes < estimate.working_bytes;

  return (
    <div className="grid h-full min-h-[620px] grid-cols-[minmax(0,23rem)_minmax(0,1fr)] gap-5">
      <section className="flex min-h-0 flex-col gap-3">
        <form
          className="rounded-box border border-base-300 p-4"
          onSubmit={(e) => {
            e.preventDefault();
            place.mutate();
          }}
        >
          <h1 className="mb-2 text-xl">New order</h1>
          <div className="grid grid-cols-2 gap-x-3 gap-y-2">
            <label className="col-span-2 flex flex-col gap-0.5">
              <span className="text-xs text-base-content/75">Viewpoint</span>
              <select
                className="select select-sm w-full bg-base-100"
                value={viewpoint}
                onChange={(e) => setViewpoint(Number(e.target.value))}
              >
                {project.viewpoints.map((v) => (
                  <option key={v.id} value={v.id}>
                    {v.name}
                  </option>
                ))}
              </select>
            </label>
            <NumberField
              label="Width"
              unit="px"
              step={2}
              min={16}
              max={65536}
              value={width}
              onChange={setWidth}
            />
            <label className="flex flex-col gap-0.5">
              <span className="text-xs text-base-content/75">Usual widths</span>
              <select
                className="select select-sm w-full bg-base-100"
                value={WIDTHS.some(([w]) => w === width) ? width : ""}
                onChange={(e) => setWidth(Number(e.target.value))}
              >
                <option value="" disabled>
                  own width
                </option>
                {WIDTHS.map(([w, use]) => (
                  <option key={w} value={w}>
                    {w} px, {use}
                  </option>
                ))}
              </select>
            </label>
            <NumberField
              label="Samples per pixel"
              unit=""
              min={1}
              max={65536}
              value={samples}
              onChange={(v) => setSamples(Math.round(v))}
            />
            <dl className="text-xs leading-5">
              <div className="flex justify-between">
                <dt className="text-base-content/75">Height follows</dt>
                <dd data-testid="height">{estimate ? `${estimate.height} px` : ""}</dd>
              </div>
              <div className="flex justify-between">
                <dt className="text-base-content/75">Sharpness</dt>
                <dd>{estimate ? `${estimate.pixels_per_degree.toFixed(1)} px/°` : ""}</dd>
              </div>
            </dl>
          </div>
          {estimate && (
            <p className="mt-2 text-xs">
              <Mark kind={short ? "stop" : "fine"}>
                <span className="text-base-content/80" data-testid="disk">
                  Master at most {bytes(estimate.master_bytes)}; {bytes(estimate.working_bytes)} of disk while
                  rendering
                  {estimate.free_bytes !== null && `, ${bytes(estimate.free_bytes)} free`}
                </span>
              </Mark>
            </p>
          )}
          <div className="mt-2 space-y-2">
            <Problem error={error ?? place.error} />
            <button
              type="submit"
              className="btn btn-primary btn-sm w-full"
              disabled={place.isPending || short || error !== null}
            >
              Order render
            </button>
          </div>
        </form>
        <h2 className="text-lg">Queue</h2>
        <ul className="min-h-0 flex-1 space-y-2 overflow-auto">
          {project.orders.map((o) => (
            <OrderRow key={o.id} order={o} chosen={o.id === order?.id} onChoose={() => setChosen(o.id)} />
          ))}
          {project.orders.length === 0 && (
            <li className="text-sm text-base-content/75">Nothing is ordered yet.</li>
          )}
        </ul>
      </section>
      <section className="min-w-0">
        {order ? (
          <>
            <Horizon
              picture={order.state === "done" ? `/api/orders/${order.id}/picture.jpg` : null}
              label={`Render of ${order.spec.viewpoint}`}
              heading={order.spec.pose.heading_deg}
              pitch={order.spec.pose.pitch_deg}
              roll={order.spec.pose.roll_deg}
              note={
                <span>
                  {order.spec.viewpoint}, {order.spec.width} × {order.spec.height} px:{" "}
                  {states[order.state].word}
                </span>
              }
            >
              {order.state !== "done" && <Strips order={order} />}
            </Horizon>
            {order.state === "done" && (
              <div className="mt-4 ml-9 flex items-center justify-between">
                <p className="text-sm text-base-content/80">
                  The master is kept: linear OpenEXR, half float, untouched by what follows.
                </p>
                <button
                  type="button"
                  className="btn btn-primary"
                  onClick={() => go(`/project/${project.id}/hand-over?order=${order.id}`)}
                >
                  Hand it over
                </button>
              </div>
            )}
          </>
        ) : (
          <Horizon
            picture={null}
            label="No render yet"
            heading={0}
            note={<span>The picture appears here, strip by strip, as it is made.</span>}
          />
        )}
      </section>
    </div>
  );
}
