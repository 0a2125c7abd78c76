import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../api/client";
import { keys } from "../api/changes";
import type { Pass } from "../generated/Pass";
import type { Project } from "../generated/Project";
import { Choice } from "../parts/Choice";
import { Mark } from "../parts/Mark";
import { NumberField } from "../parts/NumberField";
import { refused } from "../parts/numbers";
import { Problem } from "../parts/Problem";
import { Switch } from "../parts/Switch";
import { bytes } from "../parts/units";
import { PASS_NAMES } from "./passes";
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
type How = "noise" | "samples";

/** Noise that is clean enough for print and web, and for a first look, percent. */
const NOISE: Record<Purpose, number> = { final: 4, draft: 12 };

/** Orders a render of a viewpoint. */
export function NewOrder({
  project,
  asked,
  onOrder,
  onViewpoint,
  onLight,
}: {
  project: Project;
  asked: number;
  onOrder: (id: number) => void;
  /** Another viewpoint was chosen. */
  onViewpoint: (id: number) => void;
  /** Another light setup was chosen. */
  onLight: (setup: number) => void;
}) {
  const queries = useQueryClient();
  const [viewpoint, setViewpoint] = useState(
    project.viewpoints.find((v) => v.id === asked)?.id ?? project.viewpoints[0]?.id ?? 0,
  );
  const setups = setupsOf(project.settings);
  const [light, setLight] = useState<number | null>(null);
  const setup = setups.find((s) => s.number === light) ?? project.settings.setup;
  const [shape, setShape] = useState("equirect");
  const offer = SHAPES.find((s) => s.shape === shape);
  const sphere = shape === "equirect";
  const [width, setWidth] = useState(2048);
  const [purpose, setPurpose] = useState<Purpose>("final");
  const [how, setHow] = useState<How>("noise");
  const [noise, setNoise] = useState(NOISE.final);
  const [most, setMost] = useState(2048);
  const [samples, setSamples] = useState(64);
  const [passes, setPasses] = useState<ReadonlySet<Pass>>(new Set());
  const [planning, setPlanning] = useState(false);
  const [clay, setClay] = useState(false);
  const [denoise, setDenoise] = useState(false);
  const [calm, setCalm] = useState(false);
  const [lens, setLens] = useState(false);
  const [fstop, setFstop] = useState(2.8);
  const [focus, setFocus] = useState(3);
  const [occlusion, setOcclusion] = useState(1);
  const wanted = [...passes];
  const { data: estimate, error } = useQuery({
    queryKey: ["estimate", project.id, shape, width, wanted.join(), denoise && sphere],
    queryFn: () => api.estimate(project.id, shape, width, wanted, denoise && sphere),
    placeholderData: (before) => before,
    gcTime: 10_000,
  });
  const place = useMutation({
    mutationFn: () =>
      api.order(project.id, {
        viewpoint,
        setup: setup.number,
        shape,
        width,
        samples: how === "noise" ? most : samples,
        ...(how === "noise" ? { noise_percent: noise } : {}),
        draft: purpose === "draft",
        passes: wanted,
        clay,
        denoise: denoise && sphere,
        ...(calm ? { clamp: 10 } : {}),
        ...(passes.has("ambient-occlusion") ? { occlusion_m: occlusion } : {}),
        ...(lens ? { lens: { fstop, focus_m: focus } } : {}),
      }),
    onSuccess: (order) => {
      // The line of events may have brought it already.
      queries.setQueryData<Project>(
        keys.project(project.id),
        (p) => p && { ...p, orders: [order, ...p.orders.filter((o) => o.id !== order.id)] },
      );
      onOrder(order.id);
    },
  });
  const short = estimate?.free_bytes != null && estimate.free_bytes < estimate.working_bytes;
  const extras = [
    clay && "clay",
    denoise && sphere && "denoised",
    lens && "lens",
    calm && "fireflies limited",
  ].filter(Boolean);
  // The usual widths of a sphere, as wide as this shape needs for the same detail.
  const full = SHAPES[0];
  const usual = WIDTHS.map(([w, use]): [number, string] => [
    offer && full ? sameDetail(w, full, offer) : w,
    use,
  ]);
  const toggle = (pass: Pass) => {
    const next = new Set(passes);
    if (!next.delete(pass)) next.add(pass);
    setPasses(next);
  };

  return (
    <form
      className="flex min-h-0 flex-col rounded-box border border-base-300 p-3"
      noValidate
      onSubmit={(e) => {
        e.preventDefault();
        if (!refused(e.currentTarget)) place.mutate();
      }}
    >
      <h1 className="mb-1 text-xl">New order</h1>
      <div className="scrolls min-h-0 flex-1 pr-1">
        <div className="grid grid-cols-2 gap-x-3 gap-y-1.5">
          <label className="flex flex-col gap-0.5">
            <span className="text-xs text-base-content/75">Viewpoint</span>
            <select
              className="select select-sm w-full bg-base-100"
              value={viewpoint}
              onChange={(e) => {
                setViewpoint(Number(e.target.value));
                onViewpoint(Number(e.target.value));
              }}
            >
              {project.viewpoints.map((v) => (
                <option key={v.id} value={v.id}>
                  {v.name}
                </option>
              ))}
            </select>
          </label>
          {setups.length > 1 && (
            <label className="flex flex-col gap-0.5">
              <span className="text-xs text-base-content/75">Light setup</span>
              <select
                className="select select-sm w-full bg-base-100"
                value={setup.number}
                onChange={(e) => {
                  setLight(Number(e.target.value));
                  onLight(Number(e.target.value));
                }}
              >
                {setups.map((s) => (
                  <option key={s.number} value={s.number}>
                    {s.name}
                  </option>
                ))}
              </select>
            </label>
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
              setNoise(NOISE[p]);
            }}
          />
          <ShapeChooser
            shape={shape}
            onChange={(to) => {
              if (offer) setWidth(sameDetail(width, offer, to));
              setShape(to.shape);
            }}
          />
          <NumberField
            label="Width"
            unit="px"
            step={offer?.step ?? 1}
            min={16}
            max={65536}
            value={width}
            onChange={setWidth}
          />
          <label className="flex flex-col gap-0.5">
            <span className="text-xs text-base-content/75">Usual widths</span>
            <select
              className="select select-sm w-full bg-base-100"
              value={usual.find(([w]) => w === width)?.[0] ?? ""}
              onChange={(e) => setWidth(Number(e.target.value))}
            >
              <option value="" disabled>
                Custom
              </option>
              {usual.map(([w, use]) => (
                <option key={w} value={w}>
                  {w} px, {use}
                </option>
              ))}
            </select>
          </label>
          <Choice
            label="Quality"
            className="col-span-2"
            value={how}
            options={[
              ["noise", "Until the noise is low enough"],
              ["samples", "The same number of samples everywhere"],
            ]}
            onChange={setHow}
          />
          {how === "noise" ? (
            <>
              <NumberField
                label="Noise at most"
                unit="%"
                value={noise}
                digits={1}
                step={0.5}
                min={0.1}
                max={100}
                onChange={setNoise}
              />
              <NumberField
                label="Samples at most"
                unit="per pixel"
                value={most}
                step={64}
                min={1}
                max={65536}
                onChange={setMost}
              />
            </>
          ) : (
            <NumberField
              label="Samples per pixel"
              unit="samples"
              value={samples}
              min={1}
              max={65536}
              onChange={setSamples}
            />
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
        <details className="mt-1 text-[13px]">
          <summary className="cursor-pointer">
            Passes <span className="text-base-content/75">{passes.size > 0 ? passes.size : "none"}</span>
          </summary>
          <div className="mt-1 grid grid-cols-2 gap-x-3 gap-y-0.5">
            {PASS_NAMES.map(([pass, name]) => (
              <Switch key={pass} label={name} on={passes.has(pass)} onChange={() => toggle(pass)} />
            ))}
            {passes.has("ambient-occlusion") && (
              <NumberField
                label="Occlusion within"
                unit="m"
                value={occlusion}
                digits={2}
                step={0.25}
                min={0.001}
                max={100000}
                onChange={setOcclusion}
              />
            )}
          </div>
        </details>
        <details className="mt-1 text-[13px]">
          <summary className="cursor-pointer">
            More <span className="text-base-content/75">{extras.length > 0 ? extras.join(", ") : ""}</span>
          </summary>
          <div className="mt-1 grid grid-cols-2 gap-x-3 gap-y-1">
            <Switch label="Clay" on={clay} onChange={setClay} />
            {sphere && <Switch label="Denoise" on={denoise} onChange={setDenoise} />}
            <Switch
              label="Limit fireflies"
              hint="No sample adds more light than 10; the picture becomes a little darker than it truly is."
              on={calm}
              onChange={setCalm}
            />
            <Switch label="Lens blur" on={lens} onChange={setLens} />
            {lens && (
              <>
                <NumberField
                  label="f-number (50 mm)"
                  unit="f/"
                  value={fstop}
                  digits={1}
                  step={0.1}
                  min={0.5}
                  max={128}
                  onChange={setFstop}
                />
                <NumberField
                  label="Sharp at"
                  unit="m"
                  value={focus}
                  digits={2}
                  step={0.1}
                  min={0.01}
                  max={100000}
                  onChange={setFocus}
                />
              </>
            )}
          </div>
        </details>
      </div>
      {estimate && (
        <p className="mt-2 text-xs">
          <Mark kind={short ? "stop" : "fine"}>
            <span className="text-base-content/80">
              Height <span data-testid="height">{estimate.height} px</span>,{" "}
              {estimate.pixels_per_degree.toFixed(1)} px per degree.{" "}
              <span data-testid="disk">
                Master at most {bytes(estimate.master_bytes)}; {bytes(estimate.working_bytes)} of disk and{" "}
                {bytes(estimate.memory_bytes)} of memory while rendering
                {estimate.scene_bytes !== null && `, the scene ${bytes(estimate.scene_bytes)} of it`}
                {estimate.free_bytes !== null && `, ${bytes(estimate.free_bytes)} of disk free`}
              </span>
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
  );
}
