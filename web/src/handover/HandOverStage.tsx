import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useLocation, useSearch } from "wouter";
import { api } from "../api/client";
import { ended, keys } from "../api/changes";
import type { FilmChoice } from "../generated/FilmChoice";
import type { Package } from "../generated/Package";
import type { Order } from "../generated/Order";
import type { Project } from "../generated/Project";
import { JobRow } from "../jobs/JobRow";
import { Choice } from "../parts/Choice";
import { ConfirmButton } from "../parts/ConfirmButton";
import { EmptyStage } from "../parts/EmptyStage";
import { Mark } from "../parts/Mark";
import { NumberField } from "../parts/NumberField";
import { refused } from "../parts/numbers";
import { Problem } from "../parts/Problem";
import { bytes, perSecond, wrapHeading, wrapSigned } from "../parts/units";
import { Horizon } from "../sphere/Horizon";
import { Lookout } from "../sphere/Lookout";
import type { View } from "../sphere/geometry";
import { FilmFields } from "./FilmFields";
import { PackingFields } from "./PackingFields";
import { PACKING, packingName } from "./packing";

/** What kind of file a package is. */
const kindOf = (made: Package) => (made.file.split(".").pop() ?? "").toUpperCase().replace("JPG", "JPEG");

function PackageCard({ made, project }: { made: Package; project: number }) {
  const queries = useQueryClient();
  const [, go] = useLocation();
  const remove = useMutation({
    mutationFn: () => api.removePackage(made.id),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.project(project) }),
  });
  const fine = made.checks.every((c) => c.fine);
  return (
    <li className="rounded-box border border-base-300 px-4 py-2.5" data-testid="package">
      <div className="flex items-baseline justify-between gap-3">
        <h2 className="truncate text-[15px]" title={made.file}>
          {made.file}
        </h2>
        <Mark kind={fine ? "fine" : "stop"}>{fine ? "says what was asked" : "differs"}</Mark>
      </div>
      <p className="text-xs text-base-content/80">
        {kindOf(made)}, {bytes(made.bytes)}
        {made.film &&
          `, ${made.film.seconds.toFixed(2)} s at ${perSecond(made.film.rate)}${made.film.level === null ? "" : `, level ${made.film.level}`}${made.film.ambisonic ? ", with sound all round" : made.film.sound ? ", with sound" : ""}`}
        . Read back from disk: {made.reason}
      </p>
      {made.film?.notes.map((note) => (
        <p key={note} className="text-xs">
          <Mark kind="look">
            <span className="text-base-content">{note}</span>
          </Mark>
        </p>
      ))}
      <table className="mt-1 w-full text-xs">
        <thead className="sr-only">
          <tr>
            <th>Property</th>
            <th>Asked</th>
            <th>In the file</th>
            <th>Check</th>
          </tr>
        </thead>
        <tbody>
          {made.checks.map((c) => (
            <tr key={c.what} className="border-t border-base-300/60">
              <td className="py-0.5 text-base-content/80">{c.what}</td>
              <td>{c.asked}</td>
              <td data-testid={`found-${c.what}`}>{c.found}</td>
              <td className="text-right">
                <Mark kind={c.fine ? "fine" : "stop"}>{c.fine ? "same" : "differs"}</Mark>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <Problem error={remove.error} />
      <div className="mt-2 flex gap-2">
        <a
          className="btn btn-primary btn-sm"
          href={`/api/packages/${made.id}/download`}
          download
          data-testid="download"
        >
          Download {kindOf(made)}
        </a>
        <button
          type="button"
          className="btn btn-sm btn-outline"
          onClick={() => go(`/project/${project}/look?package=${made.id}`)}
        >
          Look at it
        </button>
        <ConfirmButton
          label="Remove"
          question="Remove this file for good?"
          className="btn-sm ml-auto"
          onConfirm={() => remove.mutate()}
        />
      </div>
    </li>
  );
}

/** The view at which a master opens, as it was chosen at Stand; straight ahead if nothing was. */
function openingOf(order: Order | undefined): View {
  const opening = order?.spec.opening;
  if (!order || !opening) return { lon: 0, lat: 0, hfov: 75 };
  return {
    lon: wrapSigned(opening.heading_deg - order.spec.pose.heading_deg),
    lat: opening.pitch_deg,
    hfov: opening.hfov_deg,
  };
}

/** A master has its light setup's exposure already; one of before is still to get it. */
function exposureOf(order: Order | undefined): number {
  return order?.spec.white_cd_m2 == null ? (order?.spec.settings.exposure_stops ?? 0) : 0;
}

/** The file that is handed over, with its opening view, read back and checked. */
export function HandOverStage({ project }: { project: Project }) {
  const queries = useQueryClient();
  const [, go] = useLocation();
  const masters = project.orders.filter((o) => o.state === "done");
  const asked = Number(new URLSearchParams(useSearch()).get("order"));
  const [chosen, setChosen] = useState(masters.find((o) => o.id === asked)?.id ?? masters[0]?.id ?? 0);
  const order = masters.find((o) => o.id === chosen) ?? masters[0];
  const [view, setView] = useState<View>(() => openingOf(order));
  const [viewOf, setViewOf] = useState(order?.id);
  const [exposure, setExposure] = useState(exposureOf(order));
  // Another master opens as its own viewpoint said, in its light setup's exposure.
  if (viewOf !== order?.id) {
    setViewOf(order?.id);
    setView(openingOf(order));
    setExposure(exposureOf(order));
  }
  const [soft, setSoft] = useState(true);
  const [quality, setQuality] = useState(92);
  const [packing, setPacking] = useState(PACKING);
  const [png, setPng] = useState(false);
  const [film, setFilm] = useState<FilmChoice>({ codec: "h264" });
  // Of frames one in the middle is looked at.
  const shown = order?.frames?.shown;
  const screen = order
    ? `/api/orders/${order.id}/${shown ? `frames/${shown[Math.floor(shown.length / 2)] ?? 0}/picture.jpg` : "picture.jpg"}`
    : "";
  const heading = order?.spec.pose.heading_deg ?? 0;
  const { data: picture, error: unseen } = useQuery({
    queryKey: ["display", screen],
    queryFn: () => api.picture(screen),
    enabled: order !== undefined,
    gcTime: 10_000,
  });
  const { data: jobs = [] } = useQuery({ queryKey: keys.jobs, queryFn: api.jobs });
  const making = jobs.filter((j) => j.kind === "package" && j.project === project.id);
  const remove = useMutation({ mutationFn: api.removePackage });
  const make = useMutation({
    mutationFn: async (id: number) => {
      const job = await api.handOver(id, {
        opening_heading_deg: Number(wrapHeading(heading + view.lon).toFixed(2)),
        opening_pitch_deg: Number(view.lat.toFixed(2)),
        opening_hfov_deg: Number(view.hfov.toFixed(1)),
        exposure_stops: exposure,
        soft,
        quality,
        ...(order?.frames
          ? { film }
          : { ...(order?.spec.rig ? { packing: packingName(packing) } : {}), png }),
      });
      // Refused or failed: said beside the button as well.
      await ended(job);
      await queries.invalidateQueries({ queryKey: keys.project(project.id) });
    },
  });

  if (!order) {
    return (
      <EmptyStage
        title="No master yet"
        action="Order a render"
        onAction={() => go(`/project/${project.id}/render`)}
      >
        A JPEG for hosts is made from a finished render.
      </EmptyStage>
    );
  }
  const opening = wrapHeading(heading + view.lon);
  const kind = order.frames ? "film" : png ? "PNG" : "JPEG";
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)_minmax(20rem,27rem)] gap-4 xl:gap-5">
      <section className="flex min-h-0 min-w-0 flex-col gap-3">
        <Horizon
          picture={screen}
          label="Finished picture; choose the opening view"
          heading={heading}
          pitch={order.spec.pose.pitch_deg}
          roll={order.spec.pose.roll_deg}
          view={view}
          viewName="Opening view"
          onPoint={(lon, lat) => setView((v) => ({ ...v, lon: wrapSigned(lon), lat }))}
        />
        <div className="flex min-h-0 flex-1 items-stretch gap-4 pl-9">
          <Lookout
            picture={picture ?? null}
            view={view}
            onView={setView}
            label="What is seen first"
            caption
            className="h-full min-h-32 w-1/2"
          />
          <p className="flex-1 text-sm text-base-content/80">
            Click or drag on the Horizon, or turn this window: what you see here is what people see first when
            the picture opens.
          </p>
        </div>
      </section>
      <section className="flex min-h-0 flex-col gap-3">
        <form
          className="shrink-0 rounded-box border border-base-300 p-4"
          noValidate
          onSubmit={(e) => {
            e.preventDefault();
            if (!refused(e.currentTarget)) make.mutate(order.id);
          }}
        >
          <h1 className="mb-2 text-xl">
            {order.frames ? "Film" : order.spec.rig ? "File with both eyes" : "File for a panorama host"}
          </h1>
          <div className="grid grid-cols-3 gap-x-3 gap-y-2">
            <label className="col-span-3 flex flex-col gap-0.5">
              <span className="text-xs text-base-content/75">
                {order.frames ? "From the frames" : "From the master"}
              </span>
              <select
                className="select select-sm w-full bg-base-100"
                value={order.id}
                onChange={(e) => setChosen(Number(e.target.value))}
              >
                {masters.map((o) => (
                  <option key={o.id} value={o.id}>
                    {o.spec.viewpoint}, {o.frames && `${o.frames.total} frames, `}
                    {o.spec.width} × {o.spec.height} px, order {o.id}
                  </option>
                ))}
              </select>
            </label>
            <NumberField
              label="Opening heading"
              unit="°"
              digits={1}
              value={opening}
              onChange={(h) => setView({ ...view, lon: wrapSigned(h - heading) })}
            />
            <NumberField
              label="Opening pitch"
              unit="°"
              digits={1}
              min={-90}
              max={90}
              value={view.lat}
              onChange={(lat) => setView({ ...view, lat })}
            />
            <NumberField
              label="Field of view"
              unit="°"
              min={20}
              max={120}
              value={view.hfov}
              onChange={(hfov) => setView({ ...view, hfov })}
            />
            {order.frames && <FilmFields project={project.id} value={film} onChange={setFilm} />}
            {(!order.frames || order.spec.frames?.asked.format === "exr") && (
              <NumberField
                label="Exposure"
                unit="stops"
                step={0.25}
                digits={2}
                min={-20}
                max={20}
                value={exposure}
                onChange={setExposure}
              />
            )}
            {!order.frames && (
              <>
                <NumberField
                  label="Quality"
                  unit="of 100"
                  min={1}
                  max={100}
                  value={quality}
                  onChange={(q) => setQuality(Math.round(q))}
                />
                <label className="flex flex-col gap-0.5">
                  <span className="text-xs text-base-content/75">Highlights</span>
                  <select
                    className="select select-sm w-full bg-base-100"
                    value={soft ? "soft" : "plain"}
                    onChange={(e) => setSoft(e.target.value === "soft")}
                  >
                    <option value="soft">soft</option>
                    <option value="plain">clipped</option>
                  </select>
                </label>
                <Choice
                  label="Format"
                  value={png ? "png" : "jpeg"}
                  options={[
                    ["jpeg", "JPEG"],
                    ["png", "PNG"],
                  ]}
                  onChange={(f) => setPng(f === "png")}
                />
                {order.spec.rig && <PackingFields value={packing} onChange={setPacking} />}
              </>
            )}
          </div>
          <div className="mt-3 space-y-2">
            <Problem error={make.error ?? unseen} />
            <button type="submit" className="btn btn-primary btn-sm w-full" disabled={make.isPending}>
              {make.isPending ? `Making and checking the ${kind}` : `Make the ${kind}`}
            </button>
          </div>
        </form>
        <ul className="scrolls min-h-0 flex-1 space-y-3">
          {making.map((job) => (
            <JobRow key={`job-${job.id}`} job={job} onRemove={() => remove.mutate(job.makes)} />
          ))}
          {project.packages.map((k) => (
            <PackageCard key={k.id} made={k} project={project.id} />
          ))}
        </ul>
      </section>
    </div>
  );
}
