import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../api/client";
import { keys } from "../api/changes";
import type { Order } from "../generated/Order";
import { JobButtons } from "../jobs/JobButtons";
import { ahead, renderWord, sameLane, states } from "../jobs/states";
import { TurnHandle } from "../jobs/TurnHandle";
import { ConfirmButton } from "../parts/ConfirmButton";
import { Mark } from "../parts/Mark";
import { Problem } from "../parts/Problem";
import { bytes, count, duration } from "../parts/units";
import { framesTold } from "./frames";
import { shapeName } from "./shapes";

/** What was asked for, in words. */
const quality = ({ spec }: Order) =>
  spec.noise_percent === null
    ? `${count(spec.samples)} ${spec.samples === 1 ? "sample" : "samples"}`
    : `noise to ${spec.noise_percent} %${spec.denoise ? " after denoising" : ""}`;

/** Strips beyond which the finished ones are asked for together. */
const FEW = 4;

/** The finished strips, where they belong on the Horizon: those of before in one picture, new ones as they come. */
export function Strips({ order }: { order: Order }) {
  const height = order.spec.height;
  const [before] = useState(() =>
    order.strips.length > FEW ? new Set(order.strips.map(([top]) => top)) : null,
  );
  const later = order.strips.filter(([top]) => !before?.has(top));
  const now = order.under_way;
  // Strips come from the top down. What lies below them in that picture is grey, and would hide the live one.
  const below = Math.max(
    0,
    ...order.strips.filter(([top]) => before?.has(top)).map(([top, rows]) => top + rows),
  );
  return (
    <>
      {before && (
        <img
          src={`/api/orders/${order.id}/finished.jpg?strips=${before.size}`}
          alt=""
          draggable={false}
          data-testid="strips"
          data-count={before.size}
          className="absolute inset-0 size-full"
          style={{ clipPath: `inset(0 0 ${100 - (below / height) * 100}% 0)` }}
        />
      )}
      {later.map(([top, rows]) => (
        <img
          key={top}
          src={`/api/orders/${order.id}/strips/${top}`}
          alt=""
          draggable={false}
          data-testid="strip"
          className="absolute left-0 w-full"
          style={{ top: `${(top / height) * 100}%`, height: `${(rows / height) * 100 + 0.05}%` }}
        />
      ))}
      {now && (
        <img
          key={`under way ${now.top}`}
          src={`/api/orders/${order.id}/under-way/${now.top}?done=${now.done}`}
          alt=""
          draggable={false}
          data-testid="under-way"
          className="absolute left-0 w-full"
          style={{ top: `${(now.top / height) * 100}%`, height: `${(now.rows / height) * 100}%` }}
        />
      )}
    </>
  );
}

/** What is known of an order's picture so far, each with its unit. */
function numbers(order: Order): string[] {
  const noise = order.noise_percent;
  const left =
    order.noise_left_percent !== null
      ? `, ${order.noise_left_percent.toFixed(1)} % left after denoising`
      : "";
  const samples =
    order.mean_samples !== null ? `, ${count(Math.round(order.mean_samples))} samples a pixel` : "";
  return [
    noise !== null && `Noise ${noise.toFixed(1)} %${left}${samples}`,
    order.master_bytes !== null && `master ${bytes(order.master_bytes)}`,
    order.spent_s >= 1 && `${duration(order.spent_s)} spent`,
    order.state === "done" && order.out_file !== null && `also ${order.out_file}`,
  ].filter((part) => part !== false);
}

/** An order with how far it is and what can be done with it. */
export function OrderRow({
  order,
  setups,
  chosen,
  onChoose,
  onAgain,
}: {
  order: Order;
  /** How many light setups the project has: only among several it is told which one this is. */
  setups: number;
  chosen: boolean;
  onChoose: () => void;
  /** It is to be ordered once more, or instead of this one. */
  onAgain: (instead: boolean) => void;
}) {
  const queries = useQueryClient();
  const fresh = () => queries.invalidateQueries({ queryKey: keys.project(order.project) });
  const { data: jobs = [] } = useQuery({ queryKey: keys.jobs, queryFn: api.jobs });
  const before = ahead(jobs, order.job);
  const own = jobs.find((j) => j.id === order.job);
  const made = own?.on_farm ?? undefined;
  // What waits is moved to another turn by hand or by arrow keys.
  const open = jobs.filter((j) => own && sameLane(j, own) && (j.state === "waiting" || j.state === "held"));
  const turn = open.findIndex((j) => j.id === order.job);
  const move = useMutation({ mutationFn: (to: number) => api.changeJob(order.job, { before: to }) });
  const step = (by: number) => {
    const next = by < 0 ? open[turn - 1] : (open[turn + 2] ?? (open[turn + 1] ? { id: 0 } : undefined));
    if (turn >= 0 && next) move.mutate(next.id);
  };
  const remove = useMutation({ mutationFn: () => api.removeOrder(order.id), onSuccess: fresh });
  const { kind } = states[order.state];
  // What denoising took is always there, and nobody asked for it.
  const passes = order.spec.passes.filter((p) => p !== "taken-out").length;
  const percent = order.state === "done" ? 100 : Math.floor(order.progress * 100);
  return (
    <li
      data-testid="order"
      data-state={order.state}
      data-job={order.job}
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
        <Mark kind={kind}>
          {renderWord(order.state)}
          {before > 0 && `, ${before} ahead`}
        </Mark>
      </div>
      <p className="text-xs text-base-content/80">
        {order.spec.shape !== "equirect" && `${shapeName(order.spec.shape)}, `}
        {order.frames && `${framesTold(order.frames)}, `}
        {order.spec.width} × {order.spec.height} px, {order.spec.rig ? "both eyes, " : ""}
        {quality(order)}
        {order.spec.draft && " · draft"}
        {made !== undefined && ` · by ${made ? "the farm" : "this machine"}`}
        {setups > 1 && ` · ${order.spec.settings.setup.name}`}
        {order.spec.clay && " · clay"}
        {order.spec.denoise && order.spec.noise_percent === null && " · denoised"}
        {passes > 0 && ` · ${passes} ${passes === 1 ? "pass" : "passes"}`}
      </p>
      <p className="text-xs text-base-content/80" data-testid="order-numbers">
        {numbers(order).join(" · ")}
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
      {order.problem &&
        (order.state !== "failed" && order.state !== "stopped" ? (
          <p className="text-xs">
            <Mark kind="look">
              <span className="text-base-content">{order.problem}</span>
            </Mark>
          </p>
        ) : (
          <Problem error={new Error(order.problem)} />
        ))}
      <Problem error={remove.error ?? move.error} />
      <div className="mt-1 flex flex-wrap gap-1">
        <JobButtons job={order.job} state={order.state} />
        {turn >= 0 && open.length > 1 && (
          <TurnHandle
            label={`Turn ${turn + 1} of ${open.length} of ${order.spec.viewpoint}: arrow keys move it`}
            words={`turn ${turn + 1}`}
            onStep={step}
            onDrop={(onto) => {
              // Dropped on one that comes later, it comes after that.
              const at = open.findIndex((j) => j.id === onto);
              if (at >= 0 && at !== turn) move.mutate(at > turn ? (open[at + 1]?.id ?? 0) : onto);
            }}
          />
        )}
        {order.state === "done" && !order.frames && (
          <a
            className="btn btn-ghost btn-xs font-normal"
            href={`/api/orders/${order.id}/master.exr`}
            download
          >
            Download master (EXR)
          </a>
        )}
        {turn >= 0 && (
          <button
            type="button"
            className="btn btn-ghost btn-xs font-normal"
            title="Puts what it says into the form; it keeps its turn"
            onClick={() => onAgain(true)}
          >
            Change
          </button>
        )}
        <button
          type="button"
          className="btn btn-ghost btn-xs font-normal"
          title="Puts what it says into the form, to be ordered once more"
          onClick={() => onAgain(false)}
        >
          Once more
        </button>
        <ConfirmButton
          label="Remove"
          question={
            order.frames
              ? "Remove this order? Its frames stay in their folder."
              : "Remove this order with its pictures?"
          }
          className="btn-xs"
          onConfirm={() => remove.mutate()}
        />
      </div>
    </li>
  );
}
