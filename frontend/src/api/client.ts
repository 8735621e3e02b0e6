import type { components, paths } from "./schema";

type Schemas = components["schemas"];
export type Catalogue = Schemas["Catalogue"];
export type KindInfo = Schemas["KindInfo"];
export type GroupInfo = Schemas["GroupInfo"];
export type SettingInfo = Schemas["SettingInfo"];
export type FormatInfo = Schemas["FormatInfo"];
export type Plate = Schemas["PlateOut"];
export type BenchState = Schemas["BenchOut"];
export type Conflict = Schemas["ConflictOut"];
export type Rig = Schemas["Rig"];
export type Light = Rig["lights"][number];
export type Mask = Schemas["Mask"];
export type MaskPart = Mask["parts"][number];
export type Matte = Schemas["Matte"];
export type Stroke = Schemas["Stroke"];
export type Quad = Schemas["RowOut"]["quad"];
export type Painting = Schemas["Painting"];
export type PartInfo = Schemas["PartInfo"];
export type Proposal = Schemas["ProposalOut"];
export type Take = Schemas["TakeOut"];
export type SavedRig = Schemas["SavedRigOut"];
export type RigCell = Schemas["RigCell"];
export type KeptFile = Schemas["FileOut"];
export type ExportJob = Schemas["ExportOut"];
export type ExportRequest = Schemas["ExportRequest"];
export type View = Schemas["View"];
export type PreviewRequest = Schemas["PreviewRequest"];
export type SheetCell = Schemas["SheetCell"];
export type StripCell = Schemas["StripCell"];
export type StripRequest = Schemas["StripRequest"];
export type Facts = Schemas["FactsOut"];
export type Box = Schemas["BoxOut"];
export type FrameHeader = Schemas["FrameHeader"];
export type PreviewFailure = Schemas["PreviewFailure"];

type Method = "get" | "post" | "patch" | "delete";
type Json<R> = R extends { content: { "application/json": infer T } } ? T : undefined;
type Good<O> = O extends { responses: infer R } ? Json<R[keyof R & (200 | 201 | 202 | 204)]> : never;
type Body<O> = O extends { requestBody: { content: { "application/json": infer T } } } ? { body: T } : { body?: undefined };
type Named<O, In extends "path" | "query"> = O extends { parameters: Record<In, infer T extends object> } ? Record<In, T> : unknown;

/** An answer of the service: data, or an error whose sentence `said` finds. */
export type Answer<T> = { data: T; error?: undefined; status: number } | { data?: undefined; error: unknown; status: number };

/** Calls the service as its OpenAPI document says; rejects only when there is no answer at all. */
export async function call<M extends Method, P extends keyof { [K in keyof paths as paths[K] extends Partial<Record<M, object>> ? K : never]: true }>(
  method: M,
  path: P,
  request: Body<NonNullable<paths[P][M & keyof paths[P]]>> & Named<NonNullable<paths[P][M & keyof paths[P]]>, "path"> & Named<NonNullable<paths[P][M & keyof paths[P]]>, "query">,
): Promise<Answer<Good<NonNullable<paths[P][M & keyof paths[P]]>>>> {
  const { path: places = {}, query = {}, body } = request as { path?: Record<string, string | number>; query?: Record<string, string>; body?: unknown };
  const address = String(path).replace(/{(\w+)}/g, (_, name: string) => encodeURIComponent(String(places[name])));
  const search = new URLSearchParams(query).toString();
  const response = await fetch(search ? `${address}?${search}` : address, {
    method: method.toUpperCase(),
    ...(body === undefined ? {} : { headers: { "content-type": "application/json" }, body: JSON.stringify(body) }),
  });
  const answer: unknown = response.status === 204 ? undefined : await response.json().catch(() => undefined);
  if (response.ok) return { data: answer as Good<NonNullable<paths[P][M & keyof paths[P]]>>, status: response.status };
  return { error: answer ?? {}, status: response.status };
}

/** The sentence in an error that the service sent. */
export function said(error: unknown): string {
  if (typeof error === "object" && error !== null && "error" in error && typeof error.error === "string") {
    return error.error;
  }
  return "Aurelon's service gave an answer that cannot be read; reload the page.";
}

export function thumbnailOf(plate: Plate): string {
  return `/api/plates/${plate.id}/thumbnail?revision=${plate.revision}`;
}

/** Sends a picture to be kept with a plate: of the plate's shape, or a light pass of any. */
export async function sendFile(plateId: number, file: File, anyShape: boolean): Promise<Answer<KeptFile>> {
  const body = new FormData();
  body.append("file", file);
  const response = await fetch(`/api/plates/${plateId}/files?any_shape=${anyShape}`, { method: "POST", body });
  const answer: unknown = await response.json().catch(() => ({}));
  return response.ok ? { data: answer as KeptFile, status: response.status } : { error: answer, status: response.status };
}

/** Has a subject cut out of the picture, telling how far it is; what is shown next finds the cut. */
export async function cutOut(plateId: number, subject: MaskPart, onShare: (share: number) => void, signal: AbortSignal): Promise<void> {
  const response = await fetch(`/api/plates/${plateId}/cut`, {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify({ subject }),
    signal,
  });
  await readLines(response, (news) => onShare((news as Schemas["CutNews"]).share));
}

/** A light of every kind on a plate, one by one as they are rendered. */
export async function eachKind(plateId: number, rig: Rig, onCell: (cell: SheetCell) => void, signal: AbortSignal): Promise<void> {
  const response = await fetch(`/api/plates/${plateId}/sheet`, {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify({ rig }),
    signal,
  });
  await readLines(response, (cell) => onCell(cell as SheetCell));
}

/** Reads an answer of JSON lines as they come. */
async function readLines(response: Response, onLine: (line: unknown) => void): Promise<void> {
  if (!response.ok || !response.body) throw new Error(said(await response.json().catch(() => ({}))));
  const reader = response.body.pipeThrough(new TextDecoderStream()).getReader();
  let rest = "";
  for (;;) {
    const { done, value } = await reader.read();
    if (done) return;
    const lines = (rest + value).split("\n");
    rest = lines.pop() ?? "";
    for (const line of lines) onLine(JSON.parse(line));
  }
}

/** Sends a picture file, telling how far it is. */
export function sendPlate(file: File, onShare: (share: number) => void, signal: AbortSignal): Promise<Plate> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", "/api/plates");
    request.responseType = "json";
    request.upload.onprogress = (event) => {
      if (event.lengthComputable) onShare(event.loaded / event.total);
    };
    request.onload = () =>
      request.status === 201 ? resolve(request.response as Plate) : reject(new Error(said(request.response)));
    request.onerror = () => reject(new Error(`${file.name} could not be sent: the service does not answer.`));
    request.onabort = () => reject(new DOMException("stopped", "AbortError"));
    signal.addEventListener("abort", () => request.abort());
    const body = new FormData();
    body.append("file", file);
    request.send(body);
  });
}
