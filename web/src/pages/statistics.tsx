import { useQuery } from "@tanstack/react-query";
import { useState, type ReactNode } from "react";
import { Link, useNavigate } from "react-router";
import { compareBy, lines, overview, pareto, stations, trend, type Group, type StatFilter, type Step } from "../api/client";
import { pct, ReasonBars, Sparkline, stepName, TrendChart } from "../ui/charts";
import { short } from "../lib/format";
import { useFilters } from "../lib/params";
import { useKeys } from "../ui/keys";
import { fieldLook, Heading, Trouble, Waiting } from "../ui/parts";

const spans: [string, string, string][] = [
  ["1", "last 24 hours", "hour"],
  ["3", "last 3 days", "shift"],
  ["7", "last 7 days", "shift"],
  ["30", "last 30 days", "day"],
  ["90", "last 90 days", "day"],
  ["365", "last year", "week"],
];

const byWords: Record<string, string> = { station: "Stations", line: "Lines", product: "Products", revision: "Revisions of recipes", lot: "Lots", run: "Runs", team: "Teams", shift_name: "Early, late, night", shift: "Single shifts" };

/** The filter that an address carries. Times are whole minutes, so that a page asks for the same thing twice. */
export function filterOf(p: URLSearchParams, now = Date.now()): { filter: StatFilter; days: string; step: string } {
  const days = spans.some(([d]) => d === p.get("days")) ? p.get("days")! : "3";
  const filter: StatFilter = {};
  for (const n of ["line", "station", "product", "reason", "shift", "lot"] as const) {
    const v = p.get(n);
    if (v) filter[n] = v;
  }
  if (!filter.shift && !filter.day && !filter.week) filter.from = new Date(Math.floor(now / 60_000) * 60_000 - Number(days) * 86_400_000).toISOString();
  return { filter, days, step: spans.find(([d]) => d === days)![2] };
}

/** What was rejected, where, why, and whether it is more than chance. The filters are in the address. */
export function StatisticsPage() {
  const [params, set] = useFilters();
  const go = useNavigate();
  useKeys({ Escape: () => go("/floor") });
  const { filter, days, step } = filterOf(params);
  const by = params.get("by") ?? "station";
  return (
    <>
      <Heading title="Statistics">
        <span>What was rejected, where and why; words say what is more than chance.</span>
        <Link to="/statistics/reading" className="text-accent-text underline">
          Chart of a reading
        </Link>
        <Link to={`/review${filter.station ? `?station=${filter.station}` : ""}`} className="text-accent-text underline">
          Review pictures
        </Link>
        <Link to="/report/shift" className="text-accent-text underline">
          Report of the last shift
        </Link>
      </Heading>
      <Filters params={params} set={set} days={days} />
      <div className="grid grid-cols-2 max-lg:grid-cols-1">
        <TrendPart filter={filter} step={filter.shift ? "hour" : filter.day ? stepBelow["day"]! : filter.week ? stepBelow["week"]! : step} params={params} set={set} />
        <ParetoPart filter={filter} />
      </div>
      <Shifts filter={filter} set={set} />
      <ComparePart filter={filter} by={by} set={set} />
    </>
  );
}


function Filters({ params, set, days }: { params: URLSearchParams; set: (c: Record<string, string>) => void; days: string }) {
  const all = useQuery({ queryKey: ["lines"], queryFn: lines });
  const list = useQuery({ queryKey: ["stations"], queryFn: stations });
  const one = (n: string, word: string, options: [string, string][]) => (
    <label className="flex flex-col gap-1 text-sm text-ink-2">
      {word}
      <select className={fieldLook} value={params.get(n) ?? ""} onChange={(e) => set({ [n]: e.target.value })}>
        <option value="">all</option>
        {options.map(([v, w]) => (
          <option key={v} value={v}>
            {w}
          </option>
        ))}
      </select>
    </label>
  );
  const chosen = (["shift", "day", "week", "reason", "product", "lot"] as const).filter((n) => params.get(n));
  return (
    <div className="flex flex-wrap items-end gap-4 border-b border-hairline px-5 py-3">
      <label className="flex flex-col gap-1 text-sm text-ink-2">
        Time
        <select className={fieldLook} value={days} onChange={(e) => set({ days: e.target.value, shift: "", day: "", week: "" })}>
          {spans.map(([d, w]) => (
            <option key={d} value={d}>
              {w}
            </option>
          ))}
        </select>
      </label>
      {one("line", "Line", (all.data ?? []).map((l) => [l.id, l.name]))}
      {one("station", "Station", (list.data ?? []).map((s) => [s.id, `${s.line}: ${s.name}`]))}
      {chosen.map((n) => (
        <button key={n} className="min-h-11 rounded-md border border-hairline bg-wash px-3 text-base" onClick={() => set({ [n]: "" })}>
          {n} {params.get(n)} ✕<span className="sr-only">, take this filter out</span>
        </button>
      ))}
    </div>
  );
}

function Part({ title, says, children, pending, error, retry }: { title: string; says: string; children: ReactNode; pending: boolean; error: Error | null; retry: () => void }) {
  return (
    <section aria-label={title} className="min-w-0 border-b border-hairline px-5 py-4">
      <h2 className="m-0 text-lg font-semibold">{title}</h2>
      <p className="m-0 text-sm text-ink-2">{says}</p>
      {pending ? <Waiting what={title.toLowerCase()} /> : error ? <Trouble error={error} retry={retry} /> : children}
    </section>
  );
}

const stepBelow: Record<string, string> = { week: "day", day: "shift", shift: "hour" };
const rate = (v: number) => (1000 * v).toFixed(1);

/** The share of what did not pass over time, with its limits. */
function TrendPart({ filter, step, params, set }: { filter: StatFilter; step: string; params: URLSearchParams; set: (c: Record<string, string>) => void }) {
  const go = useNavigate();
  const chart = params.get("chart") === "u" ? "u" : "p";
  const early = params.get("base") === "early";
  const all = useQuery({ queryKey: ["trend", filter, step, chart, 0], queryFn: () => trend(filter, step, chart, 0), placeholderData: (old) => old });
  const base = early ? Math.max(Math.floor((all.data?.steps.length ?? 0) / 4), 1) : 0;
  const q = useQuery({ queryKey: ["trend", filter, step, chart, base], queryFn: () => trend(filter, step, chart, base), placeholderData: (old) => old, enabled: all.isSuccess });
  const steps = q.data?.steps ?? [];
  const odd = steps.filter((s) => s.point.rules.length > 0);
  const pick = (s: Step) => {
    if (step !== "hour") return set({ [step]: s.name });
    const p = new URLSearchParams(Object.entries(filter) as [string, string][]);
    p.set("not_passed", "true");
    p.set("from", s.name);
    p.set("until", new Date(new Date(s.name).getTime() + 3_600_000).toISOString());
    void go(`/items?${p.toString()}`);
  };
  return (
    <Part
      title="Trend"
      says={`${chart === "u" ? "What did not pass for each 1000 items (u chart)" : "Share that did not pass"}, by ${step}; the band is where chance alone would keep it. A point leads ${step === "hour" ? "to its items" : `into its ${step}`}.`}
      pending={q.isPending}
      error={q.error ?? all.error}
      retry={() => void all.refetch().then(() => q.refetch())}
    >
      {steps.length === 0 ? (
        <p className="text-base text-ink-2">Nothing was inspected in this time.</p>
      ) : (
        <>
          <TrendChart steps={steps} pick={pick} says={chart === "u" ? rate : pct} />
          <p className="m-0 mt-1 text-base">
            {odd.length === 0 ? "Nothing stands out." : `${odd.length} of ${steps.length} stand out, the last one ${stepName(odd.at(-1)!.name)}: ${odd.at(-1)!.point.rules.map((r) => q.data!.rules[r - 1]).join("; ")}.`}
          </p>
          <div className="mt-2 flex flex-wrap gap-3 text-sm text-ink-2">
            <label className="flex items-center gap-2">
              Limits from
              <select className={fieldLook} value={early ? "early" : ""} onChange={(e) => set({ base: e.target.value })}>
                <option value="">all that is shown</option>
                <option value="early">its first quarter</option>
              </select>
            </label>
            <label className="flex items-center gap-2">
              Chart
              <select className={fieldLook} value={chart} onChange={(e) => set({ chart: e.target.value === "u" ? "u" : "" })}>
                <option value="p">share (p′)</option>
                <option value="u">for each 1000 (u)</option>
              </select>
            </label>
          </div>
        </>
      )}
    </Part>
  );
}

const searchOf = (filter: StatFilter, more: Record<string, string> = {}) => new URLSearchParams({ ...(Object.fromEntries(Object.entries(filter).filter(([, v]) => v)) as Record<string, string>), not_passed: "true", ...more }).toString();

/** The reasons, the most frequent first, with their running sum. */
function ParetoPart({ filter }: { filter: StatFilter }) {
  const q = useQuery({ queryKey: ["pareto", filter], queryFn: () => pareto(filter), placeholderData: (old) => old });
  const bars = q.data?.bars ?? [];
  return (
    <Part title="Reasons" says={`Of the ${q.data?.total ?? 0} that did not pass; a bar leads to its items`} pending={q.isPending} error={q.error} retry={() => void q.refetch()}>
      {bars.length === 0 ? <p className="text-base text-ink-2">Everything passed in this time.</p> : <ReasonBars bars={bars} to={(reason) => `/items?${searchOf(filter, { reason })}`} />}
    </Part>
  );
}

function Verdict({ g }: { g: Pick<Group, "verdict"> }) {
  switch (g.verdict) {
    case "higher":
      return <span className="font-semibold text-reject">more rejects</span>;
    case "lower":
      return <span className="font-semibold text-pass">fewer rejects</span>;
    case "chance":
      return <span className="text-ink-2">may be chance</span>;
    default:
      return <span className="text-ink-2">too few to say</span>;
  }
}

/** Shifts and stations, the newest first: each beside the same station in the other shifts. */
function Shifts({ filter, set }: { filter: StatFilter; set: (c: Record<string, string>) => void }) {
  const q = useQuery({ queryKey: ["overview", filter], queryFn: () => overview(filter), placeholderData: (old) => old });
  const o = q.data;
  const cell = "px-3 py-1.5 text-left align-top";
  const shown = o?.shifts.slice(0, 21) ?? [];
  return (
    <Part title="Shifts" says="Yield, of how many, and the main reason; ▼ and ▲ where it is lower or higher than in the station's other shifts by more than chance" pending={q.isPending} error={q.error} retry={() => void q.refetch()}>
      {!o || shown.length === 0 ? (
        <p className="text-base text-ink-2">Nothing was inspected in this time.</p>
      ) : (
        <div className="mt-2 overflow-x-auto" tabIndex={0} role="region" aria-label="Shifts and stations">
          <table className="w-full border-collapse text-base">
            <thead>
              <tr className="text-sm text-ink-2">
                <th className={`${cell} font-medium`}>Shift</th>
                {o.stations.map((s) => (
                  <th key={s} className={`${cell} font-medium`}>
                    {s}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {o.shifts.length > 2 && (
                <tr className="border-t border-hairline">
                  <td className={`${cell} text-sm text-ink-2`}>yield so far</td>
                  {o.stations.map((st) => (
                    <td key={st} className={cell}>
                      <Sparkline values={o.cells.filter((c) => c.station === st).map((c) => [o.shifts.indexOf(c.shift), c.yield] as const).sort((a, b) => b[0] - a[0]).map(([, v]) => v)} label={`Yield of ${st} from shift to shift`} />
                    </td>
                  ))}
                </tr>
              )}
              {shown.map((s) => (
                <tr key={s} className="border-t border-hairline">
                  <td className={`${cell} whitespace-nowrap`}>
                    <button className="text-accent-text underline" onClick={() => set({ shift: s })}>
                      {s.replace("/", " ")}
                    </button>{" "}
                    <Link to={`/report/shift?shift=${encodeURIComponent(s)}`} className="text-sm text-ink-2 underline">
                      report
                    </Link>
                  </td>
                  {o.stations.map((st) => {
                    const c = o.cells.find((x) => x.shift === s && x.station === st);
                    return (
                      <td key={st} className={`${cell} whitespace-nowrap`}>
                        {c ? (
                          <Link to={`/items?${searchOf({ shift: s, station: st, ...(filter.reason ? { reason: filter.reason } : {}) })}`} className="block text-ink no-underline hover:bg-wash">
                            <span className={`font-semibold tabular-nums ${c.verdict === "higher" ? "text-reject" : ""}`}>
                              {c.verdict === "higher" ? "▼ " : c.verdict === "lower" ? "▲ " : ""}
                              {pct(c.yield)}
                            </span>
                            <span className="block text-sm text-ink-2">
                              {c.counts.inspected}
                              {c.top ? `, ${c.top}` : ""}
                            </span>
                          </Link>
                        ) : (
                          <span className="text-ink-2">–</span>
                        )}
                      </td>
                    );
                  })}
                </tr>
              ))}
            </tbody>
          </table>
          {o.shifts.length > shown.length && <p className="m-0 mt-1 text-sm text-ink-2">{o.shifts.length - shown.length} earlier shifts are in the trend above.</p>}
        </div>
      )}
    </Part>
  );
}

/** Of more groups than these the worst come first. */
const manyGroups = 12;

/** Fields by which items can be listed. */
const drills = ["line", "station", "product", "revision", "run", "lot", "shift", "day", "week"];

/** Groups beside all others, with the range that their yield lies in. */
function ComparePart({ filter, by, set }: { filter: StatFilter; by: string; set: (c: Record<string, string>) => void }) {
  const q = useQuery({ queryKey: ["compare", filter, by], queryFn: () => compareBy(filter, by), placeholderData: (old) => old });
  const [order, setOrder] = useState<"" | "name" | "worst">("");
  const named = q.data?.groups ?? [];
  // Of many, those that are surely worse come first: by the upper end of the range, so that few items weigh little.
  const worst = order === "worst" || (order === "" && named.length > manyGroups);
  const groups = worst ? [...named].sort((a, b) => a.range.most - b.range.most) : named;
  const lo = Math.min(...groups.map((g) => g.range.least), 1);
  const x = (v: number) => (100 * (v - lo)) / Math.max(1 - lo, 1e-9);
  return (
    <Part title="Compare" says="Yield of each, the range it lies in (95 of 100 cases), and whether it has more or fewer rejects than all others together, by more than chance" pending={q.isPending} error={q.error} retry={() => void q.refetch()}>
      <div className="mt-2 flex flex-wrap gap-4">
        <label className="flex w-64 flex-col gap-1 text-sm text-ink-2">
          What to compare
          <select className={fieldLook} value={by} onChange={(e) => set({ by: e.target.value })}>
            {Object.entries(byWords).map(([v, w]) => (
              <option key={v} value={v}>
                {w}
              </option>
            ))}
          </select>
        </label>
        <label className="flex w-64 flex-col gap-1 text-sm text-ink-2">
          Order
          <select className={fieldLook} value={worst ? "worst" : "name"} onChange={(e) => setOrder(e.target.value === "worst" ? "worst" : "name")}>
            <option value="name">by name</option>
            <option value="worst">the worst first</option>
          </select>
        </label>
      </div>
      {groups.length === 0 ? (
        <p className="text-base text-ink-2">Nothing was inspected in this time.</p>
      ) : (
        <ul className="m-0 mt-2 list-none p-0">
          {groups.map((g) => (
            <li key={g.name} className="grid grid-cols-[14rem_1fr_9rem_11rem_8rem] items-center gap-3 border-t border-hairline py-1.5 text-base max-md:grid-cols-2">
              <span className="truncate" title={g.name}>
                {drills.includes(by) && g.name !== "" ? (
                  <Link to={`/items?${searchOf(filter, { [by]: g.name })}`} className="text-ink underline">
                    {short(g.name)}
                  </Link>
                ) : (
                  short(g.name) || "none"
                )}
              </span>
              <svg viewBox="0 0 100 10" preserveAspectRatio="none" className="h-4 w-full" role="img" aria-label={`yield between ${pct(g.range.least)} and ${pct(g.range.most)}`}>
                <rect x={0} y={4.5} width={100} height={1} fill="var(--hairline)" />
                <rect x={x(g.range.least)} y={2} width={Math.max(x(g.range.most) - x(g.range.least), 0.4)} height={6} fill="var(--ink-2)" opacity={0.5} />
                <rect x={x(g.yield) - 0.3} y={0} width={0.6} height={10} fill="var(--ink)" />
              </svg>
              <span className="text-right tabular-nums">
                {pct(g.yield, 2)} <span className="block text-sm text-ink-2">of {g.counts.inspected}</span>
              </span>
              <Verdict g={g} />
              <span className="truncate text-ink-2">{g.top}</span>
            </li>
          ))}
        </ul>
      )}
    </Part>
  );
}
