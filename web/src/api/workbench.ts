import type { components } from "./schema.gen";
import { api, NoAnswer, ServiceError, unwrap, type Problem } from "./client";
import type { Tree } from "../lib/recipe";

export type Recipe = components["schemas"]["Recipe"];
export type Draft = components["schemas"]["Draft"];
export type Tried = components["schemas"]["Tried"];
export type KindInfo = components["schemas"]["KindInfo"];
export type Sample = components["schemas"]["Sample"];
export type Progress = components["schemas"]["Progress"];
export type Report = components["schemas"]["ReportJSON"];
export type Limit = components["schemas"]["LimitJSON"];
export type Envelope = components["schemas"]["EnvelopeJSON"];
export type Release = components["schemas"]["Release"];
export type RecipeProblem = components["schemas"]["RecipeProblem"];

/** Which recipe. */
export interface Key {
  product: string;
  role: string;
}

const one = (k: Key) => ({ path: { product: k.product, role: k.role } });
const base = (k: Key) => `/api/v1/recipes/${encodeURIComponent(k.product)}/${encodeURIComponent(k.role)}`;

export const recipes = () => unwrap(api.GET("/recipes")).then((l) => l.recipes);
export const kinds = () => unwrap(api.GET("/kinds")).then((l) => l.kinds);
export const draft = (k: Key) => unwrap(api.GET("/recipes/{product}/{role}/draft", { params: one(k) }));
export const saveDraft = (k: Key, tree: Tree, tag: string, who: string) =>
  unwrap(api.PUT("/recipes/{product}/{role}/draft", { params: one(k), body: { tree, who }, headers: { "If-Match": `"${tag}"` } }));
export const newRecipe = (body: components["schemas"]["NewRecipeRequest"]) => unwrap(api.POST("/recipes", { body }));
export const samples = (k: Key) => unwrap(api.GET("/recipes/{product}/{role}/samples", { params: one(k) })).then((l) => l.samples);
export const orderOfSamples = (k: Key) => unwrap(api.GET("/recipes/{product}/{role}/samples", { params: one(k) })).then((l) => l.order ?? {});
export const setOrderOfSamples = (k: Key, order: Record<string, string>) => unwrap(api.PUT("/recipes/{product}/{role}/samples/order", { params: one(k), body: { order } })).then((l) => l.order ?? {});
export const labelSamples = (k: Key, names: string[], label: string) =>
  unwrap(api.POST("/recipes/{product}/{role}/samples/label", { params: one(k), body: { samples: names, label } })).then((l) => l.samples);
export const removeSamples = (k: Key, names: string[]) =>
  unwrap(api.POST("/recipes/{product}/{role}/samples/remove", { params: one(k), body: { samples: names } })).then((l) => l.samples);
export const sampleOfItem = (k: Key, item: string, label: string) => unwrap(api.POST("/recipes/{product}/{role}/samples", { params: { ...one(k), query: { item, label } } }));
export const release = (k: Key, body: components["schemas"]["ReleaseRequest"]) => unwrap(api.POST("/recipes/{product}/{role}/release", { params: one(k), body }));
export const retire = (k: Key, who: string, note: string) => unwrap(api.POST("/recipes/{product}/{role}/retire", { params: one(k), body: { who, note } }));
export const restore = (k: Key, revision: string, who: string, note: string) =>
  unwrap(api.POST("/recipes/{product}/{role}/restore", { params: one(k), body: { revision, who, note } }));
export const releases = (k: Key) => unwrap(api.GET("/recipes/{product}/{role}/releases", { params: one(k) })).then((l) => l.releases);
export const diff = (k: Key, from: string, to: string) =>
  unwrap(api.GET("/recipes/{product}/{role}/diff", { params: { ...one(k), query: { ...(from ? { from } : {}), ...(to ? { to } : {}) } } })).then((l) => l.changes);
/** Tells a station what is packed from the next item on. */
export const setOrder = (station: string, order: Record<string, string>) => unwrap(api.POST("/stations/{id}/use", { params: { path: { id: station } }, body: { order } }));
export const runRelease = (station: string, product?: string) => unwrap(api.POST("/stations/{id}/use", { params: { path: { id: station } }, body: product ? { product } : {} }));

/** Which picture a draft is tried on. */
export type Choice = { sample?: string; item?: string; look?: string; file?: string; select?: string; revision?: string };

export const tryDraft = (k: Key, tree: Tree, on: Choice, signal?: AbortSignal): Promise<Tried> =>
  unwrap(api.POST("/recipes/{product}/{role}/draft/try", { params: one(k), body: { tree, ...on }, ...(signal ? { signal } : {}) }));

/** Sends a file as it is. */
async function send<T>(url: string, method: string, file: Blob): Promise<T> {
  let res: Response;
  try {
    res = await fetch(url, { method, body: file, headers: { "Content-Type": "application/octet-stream" } });
  } catch {
    throw new NoAnswer();
  }
  const answer: unknown = await res.json().catch(() => null);
  if (res.ok) return answer as T;
  if (answer && typeof (answer as Problem).detail === "string") throw new ServiceError(answer as Problem);
  throw new NoAnswer();
}

const query = (q: Record<string, string>) => new URLSearchParams(q).toString();

export const uploadRecipe = (k: Key, file: File) => send<Draft>(`/api/v1/recipes/upload?${query({ product: k.product, role: k.role, name: file.name })}`, "POST", file);
export const importRecipe = (file: File) => send<Draft>("/api/v1/recipes/import", "POST", file);
export const addSample = (k: Key, file: File, name: string, label: string) => send<Sample>(`${base(k)}/samples?${query(label ? { name, label } : { name })}`, "POST", file);
export const putPicture = (k: Key, name: string, file: Blob) => send<Draft>(`${base(k)}/draft/pictures/${encodeURIComponent(name)}`, "PUT", file);

export const exportURL = (k: Key) => `${base(k)}/export`;
export const draftPictureURL = (k: Key, name: string, size: "full" | "preview" | "thumb", tag = "") => `${base(k)}/draft/pictures/${encodeURIComponent(name)}?${query({ size, ...(tag ? { v: tag } : {}) })}`;
export const samplePictureURL = (k: Key, name: string, size: "full" | "preview" | "thumb") => `${base(k)}/samples/${encodeURIComponent(name)}/picture?size=${size}`;

/** A trial or stress trial: told line by line how far it is, and at last what it says. */
export const follow = (k: Key, what: "trial" | "stress", tree: Tree, signal: AbortSignal, each: (p: Progress) => void): Promise<Progress> =>
  told(`${base(k)}/${what}`, { tree }, (p: Progress) => Boolean(p.report || p.envelope || p.problems || p.error), each, signal);

/** Sends a question whose answer comes line by line, until one is final. */
async function told<T>(url: string, body: unknown, final: (p: T) => boolean, each: (p: T) => void, signal?: AbortSignal): Promise<T> {
  let res: Response;
  try {
    res = await fetch(url, { method: "POST", body: JSON.stringify(body), headers: { "Content-Type": "application/json" }, ...(signal ? { signal } : {}) });
  } catch (e) {
    if (signal?.aborted) throw e;
    throw new NoAnswer();
  }
  if (!res.ok || !res.body) throw new ServiceError((await res.json()) as Problem);
  const read = res.body.pipeThrough(new TextDecoderStream()).getReader();
  let rest = "";
  for (;;) {
    const { done, value } = await read.read();
    const parts = (rest + (value ?? "")).split("\n");
    rest = parts.pop() ?? "";
    for (const line of parts) {
      const p = JSON.parse(line) as T;
      if (final(p)) return p;
      each(p);
    }
    if (done) throw new NoAnswer();
  }
}

export type WhatIf = components["schemas"]["WhatIf"];
export type LimitMove = components["schemas"]["LimitMove"];
export type ReadingLimits = components["schemas"]["ReadingLimits"];
type WhatIfQuestion = components["schemas"]["WhatIfRequest"];
export const whatIf = (k: Key, body: WhatIfQuestion, signal?: AbortSignal) => unwrap(api.POST("/recipes/{product}/{role}/what-if", { params: one(k), body, ...(signal ? { signal } : {}) }));
export const moveLimits = (k: Key, limits: LimitMove[], who: string) => unwrap(api.POST("/recipes/{product}/{role}/draft/limits", { params: one(k), body: { limits, who } }));
/** Judges the kept pictures anew. */
export async function rerun(k: Key, body: WhatIfQuestion, each: (done: number, of: number) => void): Promise<WhatIf> {
  type Line = components["schemas"]["WhatIfProgress"];
  const p = await told<Line>(`${base(k)}/what-if/pictures`, body, (p) => Boolean(p.what_if || p.error), (p) => each(p.done, p.of));
  if (!p.what_if) throw new Error(p.error);
  return p.what_if;
}

export type CameraState = components["schemas"]["CameraState"];
export type CameraSettings = components["schemas"]["CameraSettings"];
export type Look = components["schemas"]["Look"];
const on = (id: string) => ({ params: { path: { id } } });
export const camera = (id: string) => unwrap(api.GET("/stations/{id}/camera", on(id)));
export const setCamera = (id: string, settings: CameraSettings) => unwrap(api.PUT("/stations/{id}/camera", { ...on(id), body: { settings } }));
export const findCamera = (id: string, what: "exposure" | "focus") => unwrap(api.POST("/stations/{id}/camera/find/{what}", { params: { path: { id, what } } }));
export const look = (id: string) => unwrap(api.POST("/stations/{id}/camera/look", on(id)));
export const lookURL = (id: string, which: string, lost: boolean) => `/api/v1/stations/${encodeURIComponent(id)}/camera/picture?${query({ look: which, ...(lost ? { lost: "true" } : {}) })}`;
export const takePicture = (k: Key, which: Choice) => unwrap(api.POST("/recipes/{product}/{role}/draft/pictures", { params: one(k), body: which }));
export type Calibration = components["schemas"]["Calibration"];
export type FoundCalibration = components["schemas"]["FoundCalibration"];
export const findCalibration = (id: string, body: components["schemas"]["FindCalibrationRequest"]) => unwrap(api.POST("/stations/{id}/calibration/find", { ...on(id), body }));
export const setCalibration = (id: string, calibration: Calibration | null) => unwrap(api.PUT("/stations/{id}/calibration", { ...on(id), body: calibration ? { calibration } : {} }));
