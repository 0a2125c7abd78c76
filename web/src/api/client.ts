import type { Machine } from "../generated/Machine";
import type { TimeTold } from "../generated/TimeTold";
import type { DistributionFile } from "../generated/DistributionFile";
import type { ExposureProposal } from "../generated/ExposureProposal";
import type { MeterReading } from "../generated/MeterReading";
import type { UnitProposal } from "../generated/UnitProposal";
import type { MoveRequest } from "../generated/MoveRequest";
import type { ClearanceInfo } from "../generated/ClearanceInfo";
import type { FilmCodec } from "../generated/FilmCodec";
import type { FindingInfo } from "../generated/FindingInfo";
import type { Pose } from "../generated/Pose";
import type { SeenInfo } from "../generated/SeenInfo";
import type { ShareInfo } from "../generated/ShareInfo";
import type { SightLine } from "../generated/SightLine";
import type { SquareAnswer } from "../generated/SquareAnswer";
import type { SquareRequest } from "../generated/SquareRequest";
import type { StartInfo } from "../generated/StartInfo";
import type { WidthPlan } from "../generated/WidthPlan";
import type { ApiError } from "../generated/ApiError";
import type { AssemblyGuess } from "../generated/AssemblyGuess";
import type { AssemblyRequest } from "../generated/AssemblyRequest";
import type { BroughtPicture } from "../generated/BroughtPicture";
import type { ConvertRequest } from "../generated/ConvertRequest";
import type { DepthFrame } from "../generated/DepthFrame";
import type { DepthFramesRequest } from "../generated/DepthFramesRequest";
import type { DepthInfo } from "../generated/DepthInfo";
import type { DepthRequest } from "../generated/DepthRequest";
import type { DiagnosisInfo } from "../generated/DiagnosisInfo";
import type { FloorInfo } from "../generated/FloorInfo";
import type { JobChange } from "../generated/JobChange";
import type { JobsChange } from "../generated/JobsChange";
import type { OrdersRequest } from "../generated/OrdersRequest";
import type { OfEyesRequest } from "../generated/OfEyesRequest";
import type { PairCheckInfo } from "../generated/PairCheckInfo";
import type { PickedDepth } from "../generated/PickedDepth";
import type { PairRequest } from "../generated/PairRequest";
import type { FitOverTimeRequest } from "../generated/FitOverTimeRequest";
import type { FramedCamera } from "../generated/FramedCamera";
import type { KeyEyes } from "../generated/KeyEyes";
import type { JobInfo } from "../generated/JobInfo";
import type { LightInfo } from "../generated/LightInfo";
import type { Order } from "../generated/Order";
import type { OrderEstimate } from "../generated/OrderEstimate";
import type { OrderRequest } from "../generated/OrderRequest";
import type { PackageRequest } from "../generated/PackageRequest";
import type { Pass } from "../generated/Pass";
import type { Pictures } from "../generated/Pictures";
import type { Plan } from "../generated/Plan";
import type { NodePathRequest } from "../generated/NodePathRequest";
import type { PathInfo } from "../generated/PathInfo";
import type { PathRequest } from "../generated/PathRequest";
import type { ViewpointPath } from "../generated/ViewpointPath";
import type { PreviewRequest } from "../generated/PreviewRequest";
import type { Project } from "../generated/Project";
import type { ProjectCard } from "../generated/ProjectCard";
import type { ProjectChange } from "../generated/ProjectChange";
import type { SeamInfo } from "../generated/SeamInfo";
import type { SunPosition } from "../generated/SunPosition";
import type { SurroundingsFile } from "../generated/SurroundingsFile";
import type { Viewpoint } from "../generated/Viewpoint";
import type { ViewpointDraft } from "../generated/ViewpointDraft";

/** A refusal by the server: its message is one whole sentence. */
export class Refusal extends Error {
  constructor(
    message: string,
    /** What to choose from, where the request must say which. */
    readonly choices: string[] = [],
    /** The status of the answer; 0 if there was none. */
    readonly status = 0,
  ) {
    super(message);
  }
}

const UNREACHABLE = "The server does not answer; see whether it is still running, then try again.";

async function request(
  method: string,
  path: string,
  body?: unknown,
  signal?: AbortSignal,
): Promise<Response> {
  let response: Response;
  try {
    response = await fetch(`/api${path}`, {
      method,
      signal: signal ?? null,
      headers: body === undefined ? {} : { "Content-Type": "application/json" },
      body: body === undefined ? null : JSON.stringify(body),
    });
  } catch (e) {
    if (signal?.aborted) throw e;
    throw new Refusal(UNREACHABLE);
  }
  if (!response.ok) throw await refusal(response);
  return response;
}

async function refusal(response: Response): Promise<Refusal> {
  try {
    const { error, choices } = (await response.json()) as ApiError;
    return new Refusal(error, choices, response.status);
  } catch {
    return new Refusal(UNREACHABLE, [], response.status);
  }
}

async function json<T>(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<T> {
  return (await (await request(method, path, body, signal)).json()) as T;
}

async function done(method: string, path: string): Promise<void> {
  await request(method, path);
}

/** The area of a plan, or of a section along its line and in height; metres. */
export interface Area {
  x0: number;
  z0: number;
  x1: number;
  z1: number;
}

/** Where a scene is cut: at a height, or along a line of the ground; metres. */
export type Cut = { y: number } | { from: readonly [number, number]; to: readonly [number, number] };

const cutQuery = (cut: Cut, ending: string) =>
  "y" in cut
    ? `plan${ending}?y=${cut.y}`
    : `section${ending}?ax=${cut.from[0]}&az=${cut.from[1]}&bx=${cut.to[0]}&bz=${cut.to[1]}`;

const areaQuery = (a: Area) => `x0=${a.x0}&z0=${a.z0}&x1=${a.x1}&z1=${a.z1}`;

/** A live picture and how far it is. */
export interface LivePicture {
  picture: Blob;
  samples: number;
  enough: number;
  /** Whether noise was taken out. */
  calm: boolean;
  /** Share of the pixels that have light of their own, 0 to 1. */
  lit: number;
}

export const api = {
  projects: () => json<ProjectCard[]>("GET", "/projects"),
  project: (id: number) => json<Project>("GET", `/projects/${id}`),
  changeProject: (id: number, change: ProjectChange) => json<Project>("PATCH", `/projects/${id}`, change),
  removeProject: (id: number) => done("DELETE", `/projects/${id}`),
  addViewpoint: (project: number, draft: ViewpointDraft) =>
    json<Viewpoint>("POST", `/projects/${project}/viewpoints`, draft),
  setViewpoint: (project: number, id: number, draft: ViewpointDraft) =>
    json<Viewpoint>("PUT", `/projects/${project}/viewpoints/${id}`, draft),
  removeViewpoint: (project: number, id: number) => done("DELETE", `/projects/${project}/viewpoints/${id}`),
  plan: (project: number, cut: Cut, area: Area, scale: number) =>
    json<Plan>("GET", `/projects/${project}/${cutQuery(cut, "")}&${areaQuery(area)}&scale=${scale}`),
  planPicture: (project: number, cut: Cut, area: Area, width: number, version: string) =>
    `/api/projects/${project}/${cutQuery(cut, ".png")}&${areaQuery(area)}&width=${width}&v=${version}`,
  depth: (project: number, body: DepthRequest) => json<DepthInfo>("POST", `/projects/${project}/depth`, body),
  depthAt: (project: number, body: DepthRequest) =>
    json<PickedDepth | null>("POST", `/projects/${project}/depth-at`, body),
  depthFrames: (project: number, body: DepthFramesRequest) =>
    json<DepthFrame[]>("POST", `/projects/${project}/depth-frames`, body),
  filmCodecs: () => json<FilmCodec[]>("GET", "/film-codecs"),
  depthFit: (body: FitOverTimeRequest) => json<KeyEyes[] | null>("POST", "/depth-fit", body),
  /** Where things are too near for two eyes, as a picture: brighter where they are nearer; of a flat pair its planes of depth. */
  strain: async (project: number, body: DepthRequest): Promise<Blob> =>
    (await request("POST", `/projects/${project}/strain.png`, body)).blob(),
  cameras: (project: number) => json<FramedCamera[]>("GET", `/projects/${project}/cameras`),
  depthPlan: (project: number) => `/api/projects/${project}/depth.csv`,
  path: (project: number, body: PathRequest) => json<PathInfo>("POST", `/projects/${project}/path`, body),
  pathOfNode: (project: number, body: NodePathRequest) =>
    json<ViewpointPath>("POST", `/projects/${project}/path-of-node`, body),
  clearance: (project: number, viewpoint: number, pose: Pose, moving = false) =>
    json<ClearanceInfo>(
      "POST",
      `/projects/${project}/viewpoints/${viewpoint}/clearance?moving=${moving}`,
      pose,
    ),
  look: (project: number, [x, y, z]: Pose["position"], heading: number, pitch: number) =>
    json<SeenInfo | null>(
      "GET",
      `/projects/${project}/look?x=${x}&y=${y}&z=${z}&heading=${heading}&pitch=${pitch}`,
    ),
  square: (project: number, body: SquareRequest) =>
    json<SquareAnswer>("POST", `/projects/${project}/square`, body),
  moveObjects: (project: number, body: MoveRequest) =>
    json<Project>("POST", `/projects/${project}/move`, body),
  shares: (project: number, pose: Pose) => json<ShareInfo[]>("POST", `/projects/${project}/shares`, pose),
  sightLines: (project: number) => json<SightLine[]>("GET", `/projects/${project}/sight-lines`),
  starts: (project: number) => json<StartInfo[]>("GET", `/projects/${project}/starts`),
  startPicture: (project: number, { position: [x, y, z], heading_deg }: Pose, version: string) =>
    `/api/projects/${project}/start.jpg?x=${x}&y=${y}&z=${z}&heading=${heading_deg}&v=${version}`,
  orderViewpoints: (project: number, ids: number[], seen: number[]) =>
    json<Project>("PUT", `/projects/${project}/viewpoint-order`, { ids, seen }),
  copyViewpoint: (project: number, id: number) =>
    json<Project>("POST", `/projects/${project}/viewpoints/${id}/copy`),
  meter: (project: number, viewpoint: number, [u, v]: readonly [number, number]) =>
    json<MeterReading>("GET", `/projects/${project}/meter?viewpoint=${viewpoint}&u=${u}&v=${v}`),
  proposeExposure: (project: number, viewpoint: number) =>
    json<ExposureProposal>("GET", `/projects/${project}/exposure?viewpoint=${viewpoint}`),
  proposeSkyUnit: (project: number) => json<UnitProposal>("GET", `/projects/${project}/sky-unit`),
  undo: (project: number) => json<Project>("POST", `/projects/${project}/undo`),
  redo: (project: number) => json<Project>("POST", `/projects/${project}/redo`),
  preflight: (project: number) => json<FindingInfo[]>("GET", `/projects/${project}/preflight`),
  copySetup: (project: number, name: string) =>
    json<Project>("POST", `/projects/${project}/setups`, { name }),
  chooseSetup: (project: number, setup: number) =>
    json<Project>("POST", `/projects/${project}/setups/${setup}/use`),
  renameSetup: (project: number, setup: number, name: string) =>
    json<Project>("PATCH", `/projects/${project}/setups/${setup}`, { name }),
  forgetUnmatched: (project: number) => json<Project>("DELETE", `/projects/${project}/unmatched`),
  removeSetup: (project: number, setup: number) =>
    json<Project>("DELETE", `/projects/${project}/setups/${setup}`),
  floor: (project: number, [x, y, z]: readonly [number, number, number]) =>
    json<FloorInfo>("GET", `/projects/${project}/floor?x=${x}&y=${y}&z=${z}`),
  lights: (project: number, viewpoint: number) =>
    json<LightInfo[]>("GET", `/projects/${project}/lights?viewpoint=${viewpoint}`),
  sun: (latitude: number, month: number, day: number, hour: number) =>
    json<SunPosition>("GET", `/sun?latitude=${latitude}&month=${month}&day=${day}&hour=${hour}`),
  widthPlan: (width: number, frame: number, hfov: number, perDegree: number) =>
    json<WidthPlan>("GET", `/width-plan?width=${width}&frame=${frame}&hfov=${hfov}&per_degree=${perDegree}`),
  passPicture: (order: number, pass: Pass) => `/api/orders/${order}/passes/${pass}/picture.jpg`,
  passFile: (order: number, pass: Pass) => `/api/orders/${order}/passes/${pass}/pass.exr`,
  passValue: (order: number, pass: Pass, u: number, v: number, signal: AbortSignal) =>
    json<string>("GET", `/orders/${order}/passes/${pass}/at?u=${u}&v=${v}`, undefined, signal),
  jobs: () => json<JobInfo[]>("GET", "/jobs"),
  job: (id: number) => json<JobInfo>("GET", `/jobs/${id}`),
  stopJob: (id: number) => done("POST", `/jobs/${id}/stop`),
  resumeJob: (id: number) => done("POST", `/jobs/${id}/resume`),
  changeJob: (id: number, change: JobChange) => json<JobInfo>("PATCH", `/jobs/${id}`, change),
  order: (project: number, body: OrderRequest) => json<Order>("POST", `/projects/${project}/orders`, body),
  orderEstimate: (project: number, body: OrderRequest) =>
    json<OrderEstimate>("POST", `/projects/${project}/orders/estimate`, body),
  orderTime: (project: number, body: OrderRequest, signal: AbortSignal) =>
    json<TimeTold>("POST", `/projects/${project}/orders/time`, body, signal),
  machine: () => json<Machine>("GET", "/machine"),
  removeOrder: (id: number) => done("DELETE", `/orders/${id}`),
  handOver: (order: number, body: PackageRequest) => json<JobInfo>("POST", `/orders/${order}/packages`, body),
  changeJobs: (change: JobsChange) => json<number>("PATCH", "/jobs", change),
  endedJobs: (since: number) => json<JobInfo[]>("GET", `/jobs/ended?since=${since}`),
  orderAll: (project: number, body: OrdersRequest) =>
    json<number[]>("POST", `/projects/${project}/orders/all`, body),
  sounds: (project: number) => json<string[]>("GET", `/projects/${project}/sounds`),
  removePackage: (id: number) => done("DELETE", `/packages/${id}`),
  pictures: () => json<Pictures>("GET", "/pictures"),
  setPictureShape: (id: number, shape: string) =>
    json<BroughtPicture>("PUT", `/pictures/${id}/shape`, { shape }),
  removePicture: (id: number) => done("DELETE", `/pictures/${id}`),
  convertPicture: (id: number, body: ConvertRequest) =>
    json<JobInfo>("POST", `/pictures/${id}/convert`, body),
  faceGuess: (ids: number[]) =>
    json<AssemblyGuess>("GET", `/face-guess?${ids.map((id) => `of=${id}`).join("&")}`),
  assemble: (body: AssemblyRequest) => json<JobInfo>("POST", "/assemblies", body),
  seams: (id: number) => json<SeamInfo[]>("GET", `/pictures/${id}/seams`),
  diagnosis: (id: number, against: number | null) =>
    json<DiagnosisInfo>("GET", `/pictures/${id}/diagnosis${against === null ? "" : `?against=${against}`}`),
  setPictureEyes: (id: number, packing: string) =>
    json<BroughtPicture>("PUT", `/pictures/${id}/eyes`, { packing }),
  checkPair: (id: number) => json<PairCheckInfo>("GET", `/pictures/${id}/pair`),
  layPair: (id: number, body: PairRequest) => json<JobInfo>("POST", `/pictures/${id}/pair`, body),
  ofEyes: (id: number, body: OfEyesRequest) => json<JobInfo>("POST", `/pictures/${id}/of-eyes`, body),
  mendPair: (id: number) => json<JobInfo>("POST", `/pictures/${id}/mend-pair`),
  mendPicture: (id: number, against: number | null) =>
    json<JobInfo>("POST", `/pictures/${id}/mend${against === null ? "" : `?against=${against}`}`),
  /** A picture that the server shows at an address of its own. */
  picture: async (address: string): Promise<Blob> =>
    (await request("GET", address.replace(/^\/api/, ""))).blob(),
  live: async (project: number, body: PreviewRequest, signal: AbortSignal): Promise<LivePicture> => {
    const response = await request("POST", `/projects/${project}/preview`, body, signal);
    return {
      picture: await response.blob(),
      samples: Number(response.headers.get("X-Samples")),
      enough: Number(response.headers.get("X-Enough")),
      calm: response.headers.get("X-Calm") === "true",
      lit: Number(response.headers.get("X-Lit")),
    };
  },
};

/** Sends a file; `progress` hears the share that has been sent. */
function send<T>(path: string, file: File, progress: (share: number) => void): Promise<T> {
  return new Promise((resolve, reject) => {
    const sending = new XMLHttpRequest();
    sending.open("POST", `/api${path}`);
    sending.setRequestHeader("Content-Type", "application/octet-stream");
    sending.responseType = "json";
    sending.upload.addEventListener("progress", (e) => progress(e.total > 0 ? e.loaded / e.total : 0));
    sending.addEventListener("error", () => reject(new Refusal(UNREACHABLE)));
    sending.addEventListener("load", () => {
      if (sending.status === 200) resolve(sending.response as T);
      else {
        const told = sending.response as ApiError | null;
        reject(new Refusal(told?.error ?? UNREACHABLE, told?.choices));
      }
    });
    sending.send(file);
  });
}

/** Sends a scene; of an archive with several `inside` says which. `progress` hears the share that has been sent. */
export function upload(
  file: File,
  name: string,
  inside: string | undefined,
  progress: (share: number) => void,
): Promise<Project> {
  const which = inside === undefined ? "" : `&inside=${encodeURIComponent(inside)}`;
  const query = `file=${encodeURIComponent(file.name)}&name=${encodeURIComponent(name)}${which}`;
  return send(`/projects?${query}`, file, progress);
}

/** Sends another export of a project's scene, which takes the place of its scene file. */
export function replaceScene(
  project: number,
  file: File,
  inside: string | undefined,
  progress: (share: number) => void,
): Promise<Project> {
  const which = inside === undefined ? "" : `&inside=${encodeURIComponent(inside)}`;
  return send(`/projects/${project}/scene?file=${encodeURIComponent(file.name)}${which}`, file, progress);
}

/** Sends a sound for films. */
export function uploadSound(project: number, file: File): Promise<string> {
  return send(`/projects/${project}/sounds?file=${encodeURIComponent(file.name)}`, file, () => {});
}

/** Sends a picture of surroundings. */
export function uploadSurroundings(project: number, file: File): Promise<SurroundingsFile> {
  return send(`/projects/${project}/surroundings?file=${encodeURIComponent(file.name)}`, file, () => {});
}

/** Sends a measured distribution of a lamp. */
export function uploadDistribution(project: number, file: File): Promise<DistributionFile> {
  return send(`/projects/${project}/distributions?file=${encodeURIComponent(file.name)}`, file, () => {});
}

/** Sends a picture that was made elsewhere. */
export function uploadPicture(file: File, progress: (share: number) => void): Promise<BroughtPicture> {
  return send(`/pictures?file=${encodeURIComponent(file.name)}`, file, progress);
}
