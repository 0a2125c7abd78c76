import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../api/client";
import { keys } from "../api/changes";
import type { Estimate } from "../generated/Estimate";
import type { OrderRequest } from "../generated/OrderRequest";
import type { Pass } from "../generated/Pass";
import type { Project } from "../generated/Project";
import { Choice } from "../parts/Choice";
import { Mark } from "../parts/Mark";
import { NumberField } from "../parts/NumberField";
import { refused } from "../parts/numbers";
import { Switch } from "../parts/Switch";
import { SelectField } from "../parts/SelectField";
import { Problem } from "../parts/Problem";
import { bytes, count, duration } from "../parts/units";
import { useTimeTold } from "./timeTold";
import { FrameFields } from "./FrameFields";
import { STILL_HINT, STILL_NAME, lastOf, motionOf, usualFrames } from "./frames";
import { begun, type Again } from "./again";
import { MoreFields } from "./MoreFields";
import { PassFields } from "./PassFields";
import { QualityFields } from "./QualityFields";
import { canBeDenoised, QUALITY } from "./quality";
import { ALONE, SeveralFields } from "./SeveralFields";
import { ShapeChooser } from "./ShapeChooser";
import { SHAPES, sameDetail } from "./shapes";
import { WidthPlanner } from "./WidthPlanner";
import { setupsOf } from "../scene/SetupBar";

/** Usual widths and what they are for. */
const WIDTHS: [number, string][] = [
  [1024, "draft"],
  [2048, "quick look"],
  [4096, "web"],
  [6144, "web, sharp"],
  [8192, "large screen"],
  [12000, "headset"],
];

type Purpose = "final" | "draft";

/** Noise that is clean enough for print and web, and for a first look, percent. */
const NOISE: Record<Purpose, number> = { final: QUALITY.noise, draft: 12 };

/** How often it is looked whether there is room by now, milliseconds. */
const ROOM_MS = 3000;

/** Whether a disk has too little room. */
const isShort = ({ free_bytes, working_bytes, elsewhere }: Estimate): boolean =>
  (free_bytes !== null && free_bytes < working_bytes) ||
  (elsewhere !== null && elsewhere.free_bytes !== null && elsewhere.free_bytes < elsewhere.bytes);

/** Orders a render of a viewpoint. */
export function NewOrder({
  project,
  denoiser,
  asked,
  onOrder,
  onViewpoint,
  onLight,
  again,
  onDone,
}: {
  project: Project;
  /** Whether the denoising library is there: orders begin denoised. */
  denoiser: boolean;
  asked: number;
  /** An order that it begins with. */
  again: Again | null;
  /** It is placed, or given up. */
  onDone: () => void;
  onOrder: (id: number) => void;
  /** Another viewpoint was chosen. */
  onViewpoint: (id: number) => void;
  /** Another light setup was chosen. */
  onLight: (setup: number) => void;
}) {
  const queries = useQueryClient();
  const [start] = useState(() => begun(again?.order));
  const [viewpoint, setViewpoint] = useState(
    project.viewpoints.find((v) => v.id === (start.viewpoint ?? asked))?.id ?? project.viewpoints[0]?.id ?? 0,
  );
  const setups = setupsOf(project.settings);
  const [light, setLight] = useState<number | null>(start.setup);
  const setup = setups.find((s) => s.number === light) ?? project.settings.setup;
  const rig = project.viewpoints.find((v) => v.id === viewpoint)?.rig;
  const [eyes, setEyes] = useState<"both" | "one">(start.eyes);
  const both = rig !== undefined && rig.kind !== "off" && eyes === "both";
  // A flat pair has the shape of its frame.
  const frame = both && rig.kind === "flat";
  const [shape, setShape] = useState(start.shape);
  const offer = SHAPES.find((s) => s.shape === shape);
  const denoisable = frame || canBeDenoised(shape);
  const [width, setWidth] = useState(start.width);
  const [purpose, setPurpose] = useState<Purpose>(start.purpose);
  const [quality, setQuality] = useState(start.quality);
  const [passes, setPasses] = useState<ReadonlySet<Pass>>(start.passes);
  const motion = motionOf(project, viewpoint);
  const [many, setMany] = useState<"one" | "many">(start.frames ? "many" : "one");
  const [frames, setFrames] = useState(() => start.frames ?? usualFrames(motion));
  const [several, setSeveral] = useState(ALONE);
  // Where the picture goes; several in one go go there as a start.
  const [out, setOut] = useState<string | null | undefined>(start.out ?? undefined);
  const [held, setHeld] = useState(start.held);
  const [by, setBy] = useState(start.by);
  const others = {
    viewpoints: [viewpoint, ...[...several.viewpoints].filter((v) => v !== viewpoint)],
    shapes: [shape, ...[...several.shapes].filter((s) => s !== shape)],
    setups: [setup.number, ...[...several.setups].filter((n) => n !== setup.number)],
  };
  const orders = others.viewpoints.length * others.shapes.length * others.setups.length;
  const outName = out === undefined ? (orders > 1 ? STILL_NAME : null) : out;
  const [planning, setPlanning] = useState(false);
  const [more, setMore] = useState(start.more);
  const [occlusion, setOcclusion] = useState(start.occlusion);
  const wanted = [...passes];
  const denoise = (more.denoise ?? denoiser) && denoisable;
  const wish: OrderRequest = {
    viewpoint,
    setup: setup.number,
    ...(frame ? {} : { shape }),
    width,
    samples: quality.how === "noise" ? quality.most : quality.samples,
    ...(quality.how === "noise" ? { noise_percent: quality.noise } : {}),
    draft: purpose === "draft",
    mono: !both,
    passes: wanted,
    clay: more.clay,
    denoise,
    ...(more.calm ? { clamp: 10 } : {}),
    ...(passes.has("ambient-occlusion") ? { occlusion_m: occlusion } : {}),
    ...(many === "many" ? { frames } : outName === null ? {} : { out: outName }),
    ...(by === "here" ? { here: true } : {}),
    ...(again?.instead ? { instead_of: again.order.id } : {}),
    ...(more.lens ? { lens: { fstop: more.fstop, focus_m: more.focus } } : {}),
  };
  const { data: told, error } = useQuery({
    queryKey: ["estimate", project.id, wish, rig],
    queryFn: () => api.orderEstimate(project.id, wish),
    placeholderData: (before) => before,
    retry: false,
    gcTime: 10_000,
    // Room may be made meanwhile, here or elsewhere.
    refetchInterval: ({ state }) => (state.data && isShort(state.data.estimate) ? ROOM_MS : false),
  });
  const estimate = told?.estimate;
  const { time, unknown } = useTimeTold(project.id, wish, rig, error === null && told !== undefined);
  const place = useMutation({
    // One that takes the place of another gets its turn, in one step.
    mutationFn: () => api.order(project.id, { ...wish, held }),
    onSuccess: (order) => {
      onDone();
      // The line of events may have brought it already.
      queries.setQueryData<Project>(
        keys.project(project.id),
        (p) =>
          p && {
            ...p,
            orders: [order, ...p.orders.filter((o) => o.id !== order.id && o.id !== wish.instead_of)],
          },
      );
      onOrder(order.id);
    },
  });
  const placeAll = useMutation({
    mutationFn: () => api.orderAll(project.id, { order: { ...wish, held }, ...others }),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.project(project.id) }),
  });
  const elsewhere = estimate?.elsewhere ?? null;
  const short = estimate !== undefined && isShort(estimate);
  // The usual widths of a sphere, as wide as this shape needs for the same detail.
  const full = SHAPES[0];
  const usual = WIDTHS.map(([w, use]): [number, string] => [
    offer && full ? sameDetail(w, full, offer) : w,
    use,
  ]);
  return (
    <form
      className="flex min-h-0 flex-col rounded-box border border-base-300 p-3"
      noValidate
      onSubmit={(e) => {
        e.preventDefault();
        if (refused(e.currentTarget)) return;
        if (orders > 1) placeAll.mutate();
        else place.mutate();
      }}
    >
      <div className="mb-1 flex items-baseline justify-between gap-2">
        <h1 className="text-xl">{again?.instead ? `Order ${again.order.id}, changed` : "New order"}</h1>
        {again && (
          <button type="button" className="btn btn-ghost btn-xs font-normal" onClick={onDone}>
            Leave it
          </button>
        )}
      </div>
      <div className="scrolls min-h-0 flex-1 pr-1">
        <div className="grid grid-cols-2 gap-x-3 gap-y-1.5">
          <SelectField
            label="Viewpoint"
            value={viewpoint}
            options={project.viewpoints.map((v) => [v.id, v.name])}
            onChange={(id) => {
              setViewpoint(id);
              // Who has not chosen another end wants the whole motion of this viewpoint too.
              if (frames.last === lastOf(motion, frames.rate))
                setFrames({ ...frames, last: lastOf(motionOf(project, id), frames.rate) });
              onViewpoint(id);
            }}
          />
          {setups.length > 1 && (
            <SelectField
              label="Light setup"
              value={setup.number}
              options={setups.map((s) => [s.number, s.name])}
              onChange={(number) => {
                setLight(number);
                onLight(number);
              }}
            />
          )}
          <Choice
            label="Kind"
            value={purpose}
            options={[
              ["final", "Final"],
              ["draft", "Draft"],
            ]}
            onChange={(p) => {
              setPurpose(p);
              setQuality({ ...quality, noise: NOISE[p] });
            }}
          />
          <Choice
            label="Pictures"
            value={many}
            options={[
              ["one", "one"],
              ["many", "frames over time"],
            ]}
            onChange={setMany}
          />
          {rig && rig.kind !== "off" && (
            <Choice
              label="Eyes"
              value={eyes}
              options={[
                ["both", rig.kind === "flat" ? "both, as framed at Depth" : "both, as set at Depth"],
                ["one", "one eye"],
              ]}
              onChange={setEyes}
            />
          )}
          {!frame && (
            <ShapeChooser
              shape={shape}
              onChange={(to) => {
                if (offer) setWidth(sameDetail(width, offer, to));
                setShape(to.shape);
              }}
            />
          )}
          <NumberField
            label={both ? "Width of each eye" : "Width"}
            unit="px"
            step={offer?.step ?? 1}
            min={16}
            max={65536}
            value={width}
            onChange={setWidth}
          />
          <SelectField
            label="Usual widths"
            none="Custom"
            value={width}
            options={usual.map(([w, use]) => [w, `${w} px, ${use}`])}
            onChange={setWidth}
          />
          {many === "many" && <FrameFields value={frames} onChange={setFrames} motion={motion} pair={both} />}
          <QualityFields value={quality} onChange={setQuality} denoised={denoise} />
          {denoisable && (
            <div className="col-span-2">
              <Switch
                label="Denoise"
                hint="Rendered only as long as it takes for the noise asked for to be left after denoising, which is many times shorter; what was taken is kept as a pass."
                on={denoise}
                onChange={(denoise) => setMore({ ...more, denoise })}
              />
            </div>
          )}
        </div>
        <details
          className="mt-2 text-[13px]"
          open={planning}
          onToggle={(e) => setPlanning(e.currentTarget.open)}
        >
          <summary className="cursor-pointer">How wide must it be?</summary>
          {planning && offer && full && (
            <WidthPlanner
              width={sameDetail(width, offer, full)}
              onTake={(w) => setWidth(sameDetail(w, full, offer))}
            />
          )}
        </details>
        <PassFields value={passes} onChange={setPasses} occlusion={occlusion} onOcclusion={setOcclusion} />
        <MoreFields value={more} onChange={setMore} />
        {!again?.instead && (
          <SeveralFields
            project={project}
            viewpoint={viewpoint}
            setup={setup.number}
            shape={shape}
            value={several}
            onChange={setSeveral}
            count={orders}
          />
        )}
        {many === "one" && (
          <div className="mt-1 flex flex-col gap-1">
            <Switch
              label="Also into the folder for outputs"
              hint="A copy of the finished picture as a file of its own; what is there stays"
              on={outName !== null}
              onChange={(on) => setOut(on ? STILL_NAME : null)}
            />
            {outName !== null && (
              <label className="flex flex-col gap-0.5" title={STILL_HINT}>
                <span className="text-xs text-base-content/75">File in the folder for outputs</span>
                <input
                  type="text"
                  className="input input-sm w-full bg-base-100 font-mono text-xs"
                  spellCheck={false}
                  value={outName}
                  onChange={(e) => setOut(e.target.value)}
                />
              </label>
            )}
          </div>
        )}
        {told?.farm && (
          <div className="mt-1">
            <Choice
              label="Made by"
              value={by}
              options={[
                ["farm", "the farm"],
                ["here", "this machine"],
              ]}
              onChange={setBy}
            />
          </div>
        )}
        <div className="mt-1">
          <Switch label="Put on hold" hint="It waits until it is released" on={held} onChange={setHeld} />
        </div>
      </div>
      {estimate && !error && (
        <p className="mt-2 text-xs font-semibold" data-testid="time-told">
          {time
            ? `About ${duration(time.seconds * orders)} on this machine`
            : unknown
              ? "How long it takes could not be found out."
              : "How long it takes is being found out …"}
          {time && quality.how === "noise" && `, some ${count(Math.round(time.samples))} samples a pixel`}
        </p>
      )}
      {estimate && (
        <p className="mt-1 text-xs">
          <Mark kind={short ? "stop" : "fine"}>
            <span className="text-base-content/80">
              {orders > 1 && "Each of them: "}
              {both && "Both eyes. "}
              {told.frames && (
                <span data-testid="frames-estimate">
                  {count(told.frames.count)} {told.frames.count === 1 ? "frame" : "frames"},{" "}
                  {told.frames.lasts_s.toFixed(2)} s, from {told.frames.first_file}.{" "}
                </span>
              )}
              {told.out_file && <span data-testid="out-file">Goes to {told.out_file}. </span>}
              {many === "many" && motion === 0 && "Nothing moves: all frames show the same. "}
              {told.there && <span data-testid="eyes-there">{told.there} </span>}
              {told.width !== width && `Recorded ${told.width} px wide for a later crop. `}
              Height <span data-testid="height">{estimate.height} px</span>,{" "}
              {estimate.pixels_per_degree.toFixed(1)} px per degree.{" "}
              <span data-testid="disk">
                {told.frames ? "A frame" : "Master"} at most {bytes(estimate.master_bytes)};{" "}
                {bytes(estimate.working_bytes)} of disk and {bytes(estimate.memory_bytes)} of memory while
                rendering
                {estimate.scene_bytes !== null && `, the scene ${bytes(estimate.scene_bytes)} of it`}
                {estimate.free_bytes !== null && `, ${bytes(estimate.free_bytes)} of disk free`}
                {elsewhere &&
                  `. Into ${elsewhere.folder}, on another disk: at most ${bytes(elsewhere.bytes)}${elsewhere.free_bytes === null ? "" : ` of ${bytes(elsewhere.free_bytes)} free`}`}
              </span>
            </span>
          </Mark>
        </p>
      )}
      <div className="mt-2 space-y-2">
        <Problem error={error ?? place.error ?? placeAll.error} />
        <button
          type="submit"
          className="btn btn-primary btn-sm w-full"
          disabled={place.isPending || placeAll.isPending || short || error !== null}
        >
          {again?.instead
            ? "Change the order"
            : orders > 1
              ? `Place ${orders} orders`
              : many === "many"
                ? "Order the frames"
                : "Order render"}
        </button>
      </div>
    </form>
  );
}
