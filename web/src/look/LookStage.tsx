import { api } from "../api/client";
import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { useLocation, useSearch } from "wouter";
import type { Package } from "../generated/Package";
import type { Project } from "../generated/Project";
import { EmptyStage } from "../parts/EmptyStage";
import { Problem } from "../parts/Problem";
import { degrees, wrapHeading, wrapSigned } from "../parts/units";
import { FilmViewer } from "./FilmViewer";
import { Lookout } from "../sphere/Lookout";
import type { View } from "../sphere/geometry";

const openingOf = (p: Package): View => ({
  lon: wrapSigned(p.request.opening_heading_deg - p.pose_heading_deg),
  lat: p.request.opening_pitch_deg,
  hfov: p.request.opening_hfov_deg,
});

/** Where the sphere to look round in is: of two packed eyes the left one's. */
const sphereOf = (made: Package): string =>
  hasTwoEyes(made) ? `/api/orders/${made.order}/picture.jpg` : `/api/packages/${made.id}/picture.jpg`;

const hasTwoEyes = (made: Package): boolean =>
  made.request.packing !== undefined && made.request.packing !== "mono";

function Viewer({ made }: { made: Package }) {
  const frame = useRef<HTMLDivElement>(null);
  const [view, setView] = useState<View>(() => openingOf(made));
  const [shown, setShown] = useState<number | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const { data: picture, error } = useQuery({
    queryKey: ["package-picture", made.id],
    queryFn: () => api.picture(sphereOf(made)),
    gcTime: 0,
  });
  const full = useCallback(() => {
    if (document.fullscreenElement) void document.exitFullscreen();
    else
      void frame.current
        ?.requestFullscreen()
        .catch(() => setProblem("This browser does not allow full screen here."));
  }, []);
  useEffect(() => {
    const key = (e: KeyboardEvent) => {
      if (e.key === "Enter" && e.altKey) full();
    };
    window.addEventListener("keydown", key);
    return () => window.removeEventListener("keydown", key);
  }, [full]);

  return (
    <div
      ref={frame}
      className="mid-grey relative min-h-0 flex-1 overflow-hidden rounded-box"
      data-testid="viewer"
      data-shown={shown ?? ""}
    >
      <Lookout
        picture={picture ?? null}
        view={view}
        sharp
        onView={setView}
        onLoaded={setShown}
        onProblem={setProblem}
        label={`Looking round in ${made.file}`}
        className="absolute inset-0 size-full"
      />
      <div className="absolute inset-x-4 bottom-4 flex items-center gap-3 text-sm">
        <span className="rounded-full bg-[#262a33]/80 px-3 py-1 text-[#f5f0e6]">
          Heading {degrees(wrapHeading(made.pose_heading_deg + view.lon))} · pitch {degrees(view.lat)} ·{" "}
          {degrees(view.hfov, 0)} wide
          {hasTwoEyes(made)
            ? " · left eye"
            : shown !== null && shown < made.width && ` · shown at ${shown} px of ${made.width} px`}
        </span>
        <span className="flex-1" />
        <button
          type="button"
          className="btn btn-sm border-0 bg-[#262a33]/80 text-[#f5f0e6]"
          onClick={() => setView(openingOf(made))}
        >
          Opening view
        </button>
        <button type="button" className="btn btn-sm border-0 bg-[#262a33]/80 text-[#f5f0e6]" onClick={full}>
          Full screen
        </button>
      </div>
      {(problem ?? error) && (
        <div className="absolute inset-x-4 top-4 rounded-lg bg-base-100">
          <Problem error={problem ? new Error(problem) : error} />
        </div>
      )}
    </div>
  );
}

/** A file of a flat pair: it lies on a screen, so it is shown flat; of two eyes the left one. */
function FlatPicture({ made }: { made: Package }) {
  return (
    <div className="mid-grey relative min-h-0 flex-1 overflow-hidden rounded-box" data-testid="flat-picture">
      <img
        src={
          made.request.packing === "mono"
            ? `/api/packages/${made.id}/picture.jpg`
            : `/api/orders/${made.order}/flat.jpg`
        }
        alt={`The left eye of ${made.file}, flat as on a screen`}
        className="absolute inset-0 size-full object-contain"
      />
      <span className="absolute bottom-4 left-4 rounded-full bg-[#262a33]/80 px-3 py-1 text-sm text-[#f5f0e6]">
        Flat picture, {made.width} × {made.height} px · left eye
      </span>
    </div>
  );
}

/** The finished picture as viewers will see it. */
export function LookStage({ project }: { project: Project }) {
  const [, go] = useLocation();
  const asked = Number(new URLSearchParams(useSearch()).get("package"));
  const [chosen, setChosen] = useState(asked);
  const made = project.packages.find((p) => p.id === chosen) ?? project.packages[0];
  const flat = project.orders.find((o) => o.id === made?.order)?.spec.rig?.kind === "flat";
  if (!made) {
    return (
      <EmptyStage
        title="Nothing to look at yet"
        action="Go to Hand over"
        onAction={() => go(`/project/${project.id}/hand-over`)}
      >
        Make a file at Hand over; it opens here as viewers will see it.
      </EmptyStage>
    );
  }
  return (
    <div className="flex h-full flex-col gap-3">
      <div className="flex items-center gap-3">
        <h1 className="truncate text-xl">{made.file}</h1>
        {project.packages.length > 1 && (
          <select
            className="select select-sm ml-auto w-72 bg-base-100"
            value={made.id}
            aria-label="Which picture"
            onChange={(e) => setChosen(Number(e.target.value))}
          >
            {project.packages.map((p) => (
              <option key={p.id} value={p.id}>
                {p.file}, {p.id}
              </option>
            ))}
          </select>
        )}
      </div>
      {made.film ? (
        <FilmViewer key={made.id} made={made} film={made.film} opening={openingOf(made)} />
      ) : flat ? (
        <FlatPicture made={made} />
      ) : (
        <Viewer key={made.id} made={made} />
      )}
    </div>
  );
}
