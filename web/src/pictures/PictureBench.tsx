import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../api/client";
import type { BroughtPicture } from "../generated/BroughtPicture";
import { Problem } from "../parts/Problem";
import { Tabs } from "../parts/Tabs";
import { bytes, wrapSigned } from "../parts/units";
import { ShapeChooser } from "../render/ShapeChooser";
import { Horizon } from "../sphere/Horizon";
import { Lookout } from "../sphere/Lookout";
import type { View } from "../sphere/geometry";
import { BallTest } from "./BallTest";
import { ConvertPanel } from "./ConvertPanel";
import { DiagnosisMarks, DiagnosisPanel } from "./DiagnosisPanel";
import { SeamMarks, SeamPanel } from "./Seams";
import { TOOLS, TOOL_NAMES, flatOf, isFaces, sphereOf, type Tool } from "./pictures";

const AHEAD: View = { lon: 0, lat: 0, hfov: 80 };

/** One picture: all round on the Horizon, in the Lookout, and what can be done with it. */
export function PictureBench({ picture, others }: { picture: BroughtPicture; others: BroughtPicture[] }) {
  const [view, setView] = useState<View>(AHEAD);
  const [tool, setTool] = useState<Tool>("convert");
  const [trouble, setTrouble] = useState<string | null>(null);
  const shape = useMutation({ mutationFn: (to: string) => api.setPictureShape(picture.id, to) });
  const known = picture.shape !== null;
  const { data: sphere } = useQuery({
    queryKey: ["sphere", picture.id, picture.shape],
    queryFn: async () => (await fetch(sphereOf(picture))).blob(),
    enabled: known,
    staleTime: Infinity,
  });
  const seams = useQuery({
    queryKey: ["seams", picture.id, picture.shape],
    queryFn: () => api.seams(picture.id),
    enabled: known && tool === "seams",
    staleTime: Infinity,
  });

  return (
    <div className="flex flex-col gap-3">
      <div className="flex items-center gap-4">
        <h2 className="min-w-0 truncate text-xl" title={picture.file}>
          {picture.file}
        </h2>
        <p className="flex-1 truncate text-xs text-base-content/75">
          {picture.width} × {picture.height} px{isFaces(picture) && " each face"} · {picture.depth}
          {picture.alpha && " with alpha"} · {bytes(picture.bytes)}
          {picture.made_from && ` · ${picture.made_from}`}
        </p>
        <a href={`/api/pictures/${picture.id}/download`} className="btn btn-outline btn-sm" download>
          Save
        </a>
      </div>
      <div className="grid grid-cols-[minmax(0,1fr)_17rem] gap-4">
        {known ? (
          <Horizon
            picture={sphereOf(picture)}
            label={`${picture.file} all round`}
            heading={picture.heading_deg}
            view={view}
            viewName="Lookout"
            onPoint={(lon, lat) => setView({ ...view, lon: wrapSigned(lon), lat })}
          >
            {tool === "diagnosis" && <DiagnosisMarks picture={picture} />}
            {tool === "seams" && seams.data && <SeamMarks seams={seams.data} />}
          </Horizon>
        ) : (
          <figure className="mid-grey flex aspect-[2/1] items-center justify-center rounded-md p-2">
            <img src={flatOf(picture)} alt={picture.file} className="max-h-full max-w-full object-contain" />
          </figure>
        )}
        <div className="flex flex-col gap-2 pt-5">
          {known && (
            <Lookout
              picture={sphere ?? null}
              view={view}
              onView={setView}
              onProblem={setTrouble}
              label={`Looking round in ${picture.file}`}
              className="aspect-[8/5] w-full rounded-box"
            />
          )}
          <div>
            <p className="mb-1 text-xs text-base-content/75">
              {!known
                ? "Its size suggests no shape. Say what it is, or let Diagnosis tell:"
                : picture.shape_told
                  ? "It is told to be:"
                  : "By its size it is taken for:"}
            </p>
            <ShapeChooser shape={picture.shape ?? "not known"} onChange={(o) => shape.mutate(o.shape)} />
          </div>
          <Problem error={shape.error ?? (trouble ? new Error(trouble) : null)} />
        </div>
      </div>
      <Tabs
        label="What to do with it"
        tabs={TOOLS.map((t) => [t, TOOL_NAMES[t]] as const)}
        chosen={tool}
        onChoose={setTool}
      />
      {tool === "diagnosis" ? (
        <DiagnosisPanel picture={picture} others={others} />
      ) : !known ? (
        <p className="text-sm">Say first what shape the picture has.</p>
      ) : tool === "convert" ? (
        <ConvertPanel picture={picture} view={view} />
      ) : tool === "seams" ? (
        <SeamPanel
          seams={seams.data}
          error={seams.error}
          heading={picture.heading_deg}
          onLook={(lon, lat) => setView({ lon, lat, hfov: 40 })}
        />
      ) : (
        <BallTest picture={picture} />
      )}
    </div>
  );
}
