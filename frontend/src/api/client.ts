import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

type Schemas = components["schemas"];
export type Catalogue = Schemas["Catalogue"];
export type KindInfo = Schemas["KindInfo"];
export type GroupInfo = Schemas["GroupInfo"];
export type SettingInfo = GroupInfo["settings"][number];
export type SettingOf<T extends SettingInfo["type"]> = Extract<SettingInfo, { type: T }>;
export type Option = Schemas["Option"];
export type ExportInfo = Schemas["ExportInfo"];
export type TargetInfo = Schemas["TargetInfo"];
export type FormatInfo = Schemas["FormatInfo"];
export type Limits = Schemas["Limits"];
export type Plate = Schemas["PlateRecord"];
export type BroughtIn = Schemas["BroughtIn"];
export type BenchState = Schemas["BenchState"];
export type Conflict = Schemas["ConflictProblem"];
export type Rig = Schemas["Rig"];
export type Light = Rig["lights"][number];
export type Stage = "source" | "spread" | "colour" | "mask" | "merge";
export type Mask = Schemas["Mask"];
export type MaskPart = Mask["parts"][number];
export type Matte = Schemas["Matte"];
export type Owner = Schemas["LightOwner"] | Schemas["MatteOwner"] | Schemas["HouseOwner"];
export type Stroke = Schemas["Stroke"];
export type Painting = Schemas["Painting"];
export type PartInfo = Schemas["PartInfo"];
export type Area = Schemas["Area"];
export type Proposal = Schemas["Proposal"];
export type Take = Schemas["Take"];
export type SavedRig = Schemas["SavedRig"];
export type KindCell = Schemas["KindCell"];
export type RigCell = Schemas["RigCell"];
export type KeptFile = Schemas["KeptFile"];
export type Job = Schemas["JobState"];
export type JobNews = Schemas["JobNews"];
export type RunState = Schemas["RunState"];
export type RunRequest = Schemas["RunRequest"];
export type ReelExport = Schemas["ReelExport"];
export type PixelSize = Schemas["PixelSizeInfo"];
export type RunRoom = Schemas["RunRoom"];
export type AnyExport = Schemas["TargetInfo"]["first"];
export type Blank = Schemas["Blank"];
export type View = Schemas["View"];
export type Show = Schemas["PreviewRequest"]["show"];
export type PreviewRequest = Schemas["PreviewRequest"];
export type Edit = Schemas["EditRequest"]["edit"];
export type Edited = Schemas["Edited"];
export type CutsCell = Schemas["CutsCell"];
export type FollowedCell = Schemas["FollowedCell"];
export type CarriedCell = Schemas["CarriedCell"];
export type SizeCell = Schemas["SizeCell"];
export type FlickerCell = Schemas["FlickerCell"];
export type ReelInfo = Schemas["ReelInfo"];
export type Track = Schemas["Track"];
export type SketchCell = Schemas["SketchCell"];
export type StripCell = Schemas["StripCell"];
export type SweptSetting = Schemas["SweptSetting"];
export type DistanceFound = Schemas["DistanceFound"];
export type Facts = Schemas["Facts"];
export type Box = Schemas["Box"];
export type FrameHeader = Schemas["FrameHeader"];
export type PreviewFailure = Schemas["PreviewFailure"];

/** The service, as its OpenAPI document says. A call rejects only when there is no answer at all. */
export const api = createClient<paths>({ baseUrl: "", fetch: answered });

/** The sentence in an error that the service sent. */
export function said(error: unknown): string {
  if (typeof error === "object" && error !== null && "error" in error && typeof error.error === "string") return error.error;
  return "Aurelon's service gave an answer that cannot be read; reload the page.";
}

export const AWAY = "Aurelon's service does not answer; start it again.";

/** No answer at all. `fetch` rejects with a TypeError then, in the browser's words. */
export class NoAnswer extends TypeError {
  override message = AWAY;
}

function answered(request: Request): Promise<Response> {
  return fetch(request).catch((error: unknown) => {
    throw error instanceof TypeError ? new NoAnswer() : error;
  });
}

/** Why something failed, as a sentence. */
export function whyOf(error: unknown): string {
  if (error instanceof TypeError) return AWAY;
  return error instanceof Error ? error.message : String(error);
}

/** Where the sound of a reel is. */
export function soundOf(plateId: number): string {
  return `/api/plates/${plateId}/sound`;
}

export function thumbnailOf(plate: Plate): string {
  return `/api/plates/${plate.id}/thumbnail?revision=${plate.revision}`;
}

/** A file as the body of a request; the document says of it only that it is binary. */
export function asForm(file: File): { body: { file: string }; bodySerializer: () => FormData } {
  const form = new FormData();
  form.append("file", file);
  return { body: { file: file.name }, bodySerializer: () => form };
}

/** Follows a job until it is over, telling its news; whoever stops following cancels it, unless it is to go on alone.
 * Rejects where it failed. */
export async function follow(job: Job, onNews: (news: JobNews) => void, signal: AbortSignal, cancels = true): Promise<void> {
  const cancel = () => void api.DELETE("/api/jobs/{job_id}", { params: { path: { job_id: job.id } } });
  if (signal.aborted && cancels) cancel();
  else if (cancels) signal.addEventListener("abort", cancel);
  const { data } = await api.GET("/api/jobs/{job_id}/news", { params: { path: { job_id: job.id } }, parseAs: "stream", signal });
  if (!data) throw new Error("The service does not answer; try again.");
  const reader = data.pipeThrough(new TextDecoderStream()).getReader();
  let rest = "";
  for (;;) {
    const { done, value } = await reader.read();
    if (done) return;
    const lines = (rest + value).split("\n");
    rest = lines.pop() ?? "";
    for (const line of lines) {
      const news = JSON.parse(line) as JobNews;
      onNews(news);
      if (news.job.state === "failed") throw new Error(news.job.error ?? "The work failed.");
      if (news.job.state === "cancelled") throw new DOMException("cancelled", "AbortError");
    }
  }
}

/** Sends a picture file, telling how far it is. */
export function sendPlate(file: File, onShare: (share: number) => void, signal: AbortSignal): Promise<BroughtIn> {
  return sendForm("/api/plates", asForm(file).bodySerializer(), file.name, onShare, signal);
}

/** Bytes and files that go into one request: a part that is lost is a small one, and no request has more files than it may. */
const PART_BYTES = 64 << 20;
const PART_FILES = 200;

/** Files in parts, each small enough for a request. */
function partsOf(files: File[]): File[][] {
  const parts: File[][] = [];
  let size = 0;
  for (const file of files) {
    const last = parts[parts.length - 1];
    if (!last || last.length >= PART_FILES || size + file.size > PART_BYTES) {
      parts.push([file]);
      size = file.size;
    } else {
      last.push(file);
      size += file.size;
    }
  }
  return parts;
}

/** Sends numbered stills that become one reel, in parts. */
export async function sendStills(files: File[], name: string, onShare: (share: number) => void, signal: AbortSignal): Promise<BroughtIn> {
  const { data: begun, error } = await api.POST("/api/plates/stills", { body: { names: files.map((file) => file.name) } });
  if (!begun) throw new Error(said(error));
  const upload = { params: { path: { upload: begun.id } } };
  try {
    const parts = partsOf(files);
    for (const [number, part] of parts.entries()) {
      const form = new FormData();
      part.forEach((file) => form.append("files", file));
      const onPart = (share: number) => onShare((number + share) / parts.length);
      await sendForm(`/api/plates/stills/${begun.id}`, form, name, onPart, signal);
    }
    const { data: plate, error: refused } = await api.POST("/api/plates/stills/{upload}/reel", { ...upload, signal });
    if (!plate) throw new Error(said(refused));
    return plate;
  } catch (error) {
    void api.DELETE("/api/plates/stills/{upload}", upload);
    throw error;
  }
}

function sendForm<Answer>(
  address: string,
  form: FormData,
  name: string,
  onShare: (share: number) => void,
  signal: AbortSignal,
): Promise<Answer> {
  // fetch tells nothing of how far a body has been sent.
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", address);
    request.responseType = "json";
    request.upload.onprogress = (event) => {
      if (event.lengthComputable) onShare(event.loaded / event.total);
    };
    request.onload = () => (request.status < 300 ? resolve(request.response as Answer) : reject(new Error(said(request.response))));
    request.onerror = () => reject(new Error(`${name} could not be sent: the service does not answer.`));
    request.onabort = () => reject(new DOMException("stopped", "AbortError"));
    signal.addEventListener("abort", () => request.abort());
    request.send(form);
  });
}
