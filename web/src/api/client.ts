import createClient from "openapi-fetch";
import type { components, paths } from "./schema.gen";

export type Station = components["schemas"]["Station"];
export type Line = components["schemas"]["Line"];
export type Run = components["schemas"]["Run"];
export type SignalBoard = components["schemas"]["LineBoard"];
export type Signal = SignalBoard["signals"][number];
export type Alarm = components["schemas"]["Alarm"];
export type Challenge = components["schemas"]["Challenge"];
export type StatFilter = Omit<NonNullable<paths["/statistics/overview"]["get"]["parameters"]["query"]>, "run"> & Record<string, string | undefined>;
export type ReadingChart = components["schemas"]["ReadingChart"];
export type Group = components["schemas"]["StatisticsGroup"];
export type Step = components["schemas"]["StatisticsStep"];
export type Package = components["schemas"]["Package"];
export type Item = components["schemas"]["Item"];
export type ItemDetail = components["schemas"]["ItemDetail"];
export type ItemPage = components["schemas"]["ItemPage"];
export type Finding = components["schemas"]["FindingJSON"];
export type Mark = components["schemas"]["MarkJSON"];
export type Reading = components["schemas"]["ReadingJSON"];
export type LiveEvent = components["schemas"]["Event"];
export type Problem = components["schemas"]["Problem"];
export type ItemQuery = NonNullable<paths["/items"]["get"]["parameters"]["query"]>;

/** An answer of the service that is an error, in its own words. */
export class ServiceError extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail);
  }
}

/** No answer at all. */
export class NoAnswer extends Error {
  constructor() {
    super("The service does not answer. The lines go on by themselves; this page tries again.");
  }
}

export const api = createClient<paths>({ baseUrl: `${location.origin}/api/v1`, fetch: (r) => globalThis.fetch(r) });

/** Unwraps an answer or throws what went wrong, in words that can be shown. */
export async function unwrap<T>(call: Promise<{ data?: T; error?: unknown }>): Promise<T> {
  let got: { data?: T; error?: unknown };
  try {
    got = await call;
  } catch (e) {
    if (e instanceof DOMException && e.name === "AbortError") throw e;
    throw new NoAnswer();
  }
  if (got.data !== undefined) return got.data;
  const p = got.error as Problem | undefined;
  if (p && typeof p.detail === "string") throw new ServiceError(p);
  throw new NoAnswer();
}

export const about = () => unwrap(api.GET("/about"));
export const stations = () => unwrap(api.GET("/stations")).then((l) => l.stations);
export const stopStation = (id: string) => unwrap(api.POST("/stations/{id}/stop", { params: { path: { id } } }));
export const lines = () => unwrap(api.GET("/lines")).then((l) => l.lines);
const at = (id: string) => ({ path: { id } });
export const startLine = (id: string, cleared: boolean) => unwrap(api.POST("/lines/{id}/start", { params: at(id), body: { cleared } }));
export const stopLine = (id: string) => unwrap(api.POST("/lines/{id}/stop", { params: at(id) }));
export const triggerLine = (id: string) => unwrap(api.POST("/lines/{id}/trigger", { params: at(id) }));
export const findToPack = (id: string, text: string) => unwrap(api.GET("/lines/{id}/find", { params: { ...at(id), query: { text } } }));
export const prepareLine = (id: string, product: string) => unwrap(api.POST("/lines/{id}/prepare", { params: at(id), body: { product } }));
export const changeLine = (id: string, product: string, order: Record<string, string>, who: string) =>
  unwrap(api.POST("/lines/{id}/change", { params: at(id), body: { product, order, who, by: "console" } }));
export const signals = (id: string) => unwrap(api.GET("/lines/{id}/signals", { params: at(id) }));
export const setupLine = (id: string, on: boolean) => unwrap(api.POST("/lines/{id}/setup", { params: at(id), body: { on } }));
/** Forces an output or simulates an input; null gives it back. */
export const setSignal = (id: string, s: Pick<Signal, "name" | "output">, on: boolean | null) =>
  unwrap(api.PUT("/lines/{id}/signals/{name}", { params: { path: { id, name: s.name } }, body: { output: s.output, on } }));
export const standingAlarms = () => unwrap(api.GET("/alarms/standing")).then((l) => l.alarms);
export const alarmHistory = () => unwrap(api.GET("/alarms")).then((p) => p.alarms);
export const acknowledgeAlarm = (id: number, who: string, note: string) => unwrap(api.POST("/alarms/{id}/acknowledge", { params: { path: { id } }, body: { who, note } }));
export const challenges = (id: string) => unwrap(api.GET("/lines/{id}/challenges", { params: at(id) })).then((p) => p.challenges);
export const beginChallenge = (id: string, who: string) => unwrap(api.POST("/lines/{id}/challenge", { params: at(id), body: { who } }));
export const sendPiece = (id: string) => unwrap(api.POST("/lines/{id}/challenge/send", { params: at(id) }));
export const giveUpChallenge = (id: string) => unwrap(api.POST("/lines/{id}/challenge/give-up", { params: at(id) }));
export const links = () => unwrap(api.GET("/links")).then((l) => l.links);
export const tags = () => unwrap(api.GET("/tags")).then((l) => l.tags);
export const deliveries = () => unwrap(api.GET("/deliveries")).then((l) => l.deliveries);
export const deliverAgain = (id: number) => unwrap(api.POST("/deliveries/{id}/again", { params: { path: { id } } })).then((l) => l.deliveries);
export const dropDelivery = (id: number) => unwrap(api.DELETE("/deliveries/{id}", { params: { path: { id } } })).then((l) => l.deliveries);
export const overview = (query: StatFilter) => unwrap(api.GET("/statistics/overview", { params: { query } }));
export const pareto = (query: StatFilter) => unwrap(api.GET("/statistics/pareto", { params: { query } }));
export type ParetoChart = components["schemas"]["ParetoChart"];
export const trend = (query: StatFilter, by: string, chart: "p" | "u" = "p", base = 0) => unwrap(api.GET("/statistics/trend", { params: { query: { ...query, by, chart, base } } }));
export type Report = components["schemas"]["StatisticsReport"];
export type ReportQuery = NonNullable<paths["/reports/{of}"]["get"]["parameters"]["query"]>;
export const report = (of: Report["of"], query: ReportQuery) => unwrap(api.GET("/reports/{of}", { params: { path: { of }, query } }));
export const reportURL = (of: string, query: ReportQuery, format: string) => `/api/v1/reports/${of}/file?${new URLSearchParams({ ...(query as Record<string, string>), format }).toString()}`;
export const compareBy = (query: StatFilter, by: string) => unwrap(api.GET("/statistics/compare", { params: { query: { ...query, by } } }));
export const readingChart = (query: { station: string; name: string; size: number; limit: number; shift?: string }) => unwrap(api.GET("/statistics/reading", { params: { query } }));
export type Rate = components["schemas"]["Rate"];
export const reviewRates = (query: StatFilter) => unwrap(api.GET("/statistics/review", { params: { query } }));
/** Says what an item truly was, in the name that this browser knows. */
export const reviewItem = (id: string, good: boolean, note = "") => unwrap(api.PUT("/items/{id}/review", { params: { path: { id } }, body: { good, note, who: localStorage.getItem("who") ?? "" } }));
export const unreviewItem = (id: string) => unwrap(api.DELETE("/items/{id}/review", { params: { path: { id } } }));
export type Board = components["schemas"]["Board"];
export type BoardPanel = components["schemas"]["Panel"];
export const boards = () => unwrap(api.GET("/boards")).then((l) => l.boards);
export const board = (name: string) => unwrap(api.GET("/boards/{name}", { params: { path: { name } } }));
export const keepBoard = (name: string, body: components["schemas"]["KeepBoardRequest"]) => unwrap(api.PUT("/boards/{name}", { params: { path: { name } }, body }));
export const dropBoard = (name: string) => unwrap(api.DELETE("/boards/{name}", { params: { path: { name } } }));
export const runs = (id: string) => unwrap(api.GET("/lines/{id}/runs", { params: at(id) })).then((p) => p.runs);
export const item = (id: string) => unwrap(api.GET("/items/{id}", { params: { path: { id } } }));
export const items = (query: ItemQuery) => unwrap(api.GET("/items", { params: { query } }));
export const tally = (query: NonNullable<paths["/tally"]["get"]["parameters"]["query"]>) =>
  unwrap(api.GET("/tally", { params: { query } }));

/** The last item of a station; null where it has judged nothing yet. */
export async function latest(id: string): Promise<ItemDetail | null> {
  try {
    return await unwrap(api.GET("/stations/{id}/latest", { params: { path: { id } } }));
  } catch (e) {
    if (e instanceof ServiceError && e.problem.status === 404) return null;
    throw e;
  }
}

export const pictureURL = (id: string, size: "full" | "preview" | "thumb"): string =>
  `/api/v1/items/${encodeURIComponent(id)}/picture?size=${size}`;
