import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../api/client";
import type { BroughtPicture } from "../generated/BroughtPicture";
import { SHOWN, type Shown } from "../depth/shown";
import { calm, useTurn } from "../depth/useTurn";
import { Choice } from "../parts/Choice";
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
import { EyesPanel } from "./EyesPanel";
import { SeamMarks, SeamPanel } from "./Seams";
import { LYING, VIEWS, lyingName, shownOf } from "./eyes";
import { TOOLS, TOOL_NAMES, flatOf, isFaces, sphereOf, type Tool } from "./pictures";

/** What is shown of two eyes; flicker only where motion is welcome. */
const SHOWN_OF_PICTURES = SHOWN.filter(
  ([s]) => s !== "lookouts" && s !== "paper" && (s !== "flicker" || !calm()),
);
const AHEAD: View = { lon: 0, lat: 0, hfov: 80 };

/** One picture: all round on the Horizon, in the Lookout, and what can be done with it. */
export function PictureBench({ picture, others }: { picture: BroughtPicture; others: BroughtPicture[] }) {
  const [view, setView] = useState<View>(AHEAD);
  const [tool, setTool] = useState<Tool>("convert");
  const [trouble, setTrouble] = useState<string | null>(null);
  const shape = useMutation({ mutationFn: (to: string) => api.setPictureShape(picture.id, to) });
  const eyes = useMutation({ mutationFn: (to: string) => api.setPictureEyes(picture.id, to) });
  const [wanted, setWanted] = useState<Shown>("half-colour");
  const known = picture.shape !== null;
  const two = picture.packing !== null;
  const turn = useTurn(two && wanted === "flicker");
  const whole = two ? shownOf(picture, wanted === "flicker" ? turn : wanted) : sphereOf(picture);
  // Only what is made for two eyes takes both.
  const tools = two ? (["eyes"] as const) : TOOLS;
  const used = two ? "eyes" : tool;
  const { data: sphere, error: unseen } = useQuery({
    queryKey: ["sphere", whole],
    queryFn: () => api.picture(whole),
    enabled: known,
    staleTime: Infinity,
  });
  const seams = useQuery({
    queryKey: ["seams", picture.id, picture.shape],
    queryFn: () => api.seams(picture.id),
    enabled: known && used === "seams",
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
          {two && ` · both eyes ${lyingName(picture.packing)}`}
          {picture.made_from && ` · ${picture.made_from}`}
        </p>
        <a href={`/api/pictures/${picture.id}/download`} className="btn btn-outline btn-sm" download>
          Save
        </a>
      </div>
      <div className="grid grid-cols-[minmax(0,1fr)_17rem] gap-4">
        {known ? (
          <Horizon
            picture={whole}
            label={`${picture.file} all round`}
            heading={picture.heading_deg}
            view={view}
            viewName="Lookout"
            onPoint={(lon, lat) => setView({ ...view, lon: wrapSigned(lon), lat })}
          >
            {used === "diagnosis" && <DiagnosisMarks picture={picture} />}
            {used === "seams" && seams.data && <SeamMarks seams={seams.data} />}
          </Horizon>
        ) : (
          <figure className="mid-grey flex aspect-[2/1] items-center justify-center rounded-md p-2">
            <img
              src={two ? whole : flatOf(picture)}
              alt={picture.file}
              className="max-h-full max-w-full object-contain"
            />
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
          {!isFaces(picture) && (
            <Choice
              label={
                !two
                  ? "Eyes in it"
                  : picture.packing_told
                    ? "Eyes in it, as told"
                    : "Eyes in it, by its ratio and its halves"
              }
              value={picture.packing ?? "mono"}
              options={[["mono", "one"], ...LYING, ...(picture.packing === "views" ? [VIEWS] : [])]}
              onChange={(to) => eyes.mutate(to)}
            />
          )}
          {two && (
            <Choice<Shown> label="Shown as" value={wanted} options={SHOWN_OF_PICTURES} onChange={setWanted} />
          )}
          <Problem error={eyes.error ?? shape.error ?? unseen ?? (trouble ? new Error(trouble) : null)} />
        </div>
      </div>
      <Tabs
        label="What to do with it"
        tabs={tools.map((t) => [t, TOOL_NAMES[t]] as const)}
        chosen={used}
        onChoose={setTool}
      />
      {used === "eyes" ? (
        <EyesPanel picture={picture} others={others} />
      ) : used === "diagnosis" ? (
        <DiagnosisPanel picture={picture} others={others} />
      ) : !known ? (
        <p className="text-sm">Say first what shape the picture has.</p>
      ) : used === "convert" ? (
        <ConvertPanel picture={picture} view={view} />
      ) : used === "seams" ? (
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
