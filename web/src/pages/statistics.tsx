import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import { compareBy, lines, overview, pareto, stations, trend, type Group, type StatFilter, type Step } from "../api/client";
import { faultWords } from "../lib/verdict";
import { useKeys } from "../ui/keys";
import { Heading, Trouble, Waiting } from "../ui/parts";

const spans: [string, string, string][] = [
  ["1", "last 24 hours", "hour"],
  ["3", "last 3 days", "shift"],
  ["7", "last 7 days", "shift"],
  ["30", "last 30 days", "day"],
  ["90", "last 90 days", "day"],
  ["365", "last year", "week"],
];

const byWords: Record<string, string> = { station: "Stations", line: "Lines", product: "Products", revision: "Revisions of recipes", lot: "Lots", run: "Runs", team: "Teams" };

/** The filter that an address carries. Times are whole minutes, so that a page asks for the same thing twice. */
export function filterOf(p: URLSearchParams, now = Date.now()): { filter: StatFilter; days: string; step: string } {
  const days = spans.some(([d]) => d === p.get("days")) ? p.get("days")! : "3";
  const filter: StatFilter = {};
  for (const n of ["line", "station", "product", "reason", "shift", "lot"] as const) {
    const v = p.get(n);
    if (v) filter[n] = v;
  }
  if (!filter.shift) filter.from = new Date(Math.floor(now / 60_000) * 60_000 - Number(days) * 86_400_000).toISOString();
  return { filter, days, step: spans.find(([d]) => d === days)![2] };
}

/** What was rejected, where, why, and whether it is more than chance. The filters are in the address. */
export function StatisticsPage() {
  const [params, setParams] = useSearchParams();
  const go = useNavigate();
  useKeys({ Escape: () => go("/floor") });
  const { filter, days, step } = filterOf(params);
  const by = params.get("by") ?? "station";
  const set = (changes: Record<string, string>) => {
    const next = new URLSearchParams(params);
    for (const [n, v] of Object.entries(changes)) {
      if (v) next.set(n, v);
      else next.delete(n);
    }
    setParams(next, { replace: true });
  };
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
      </Heading>
      <Filters params={params} set={set} days={days} />
      <div className="grid grid-cols-2 max-lg:grid-cols-1">
        <TrendPart filter={filter} step={filter.shift ? "hour" : step} />
        <ParetoPart filter={filter} />
      </div>
      <Shifts filter={filter} set={set} />
      <ComparePart filter={filter} by={by} set={set} />
    </>
  );
}

const select = "min-h-11 rounded-md border border-hairline bg-sheet px-3 text-base text-ink";

function Filters({ params, set, days }: { params: URLSearchParams; set: (c: Record<string, string>) => void; days: string }) {
  const all = useQuery({ queryKey: ["lines"], queryFn: lines });
  const list = useQuery({ queryKey: ["stations"], queryFn: stations });
  const one = (n: string, word: string, options: [string, string][]) => (
    <label className="flex flex-col gap-1 text-sm text-ink-2">
      {word}
      <select className={select} value={params.get(n) ?? ""} onChange={(e) => set({ [n]: e.target.value })}>
        <option value="">all</option>
        {options.map(([v, w]) => (
          <option key={v} value={v}>
            {w}
          </option>
        ))}
      </select>
    </label>
  );
  const chosen = (["shift", "reason", "product", "lot"] as const).filter((n) => params.get(n));
  return (
    <div className="flex flex-wrap items-end gap-4 border-b border-hairline px-5 py-3">
      <label className="flex flex-col gap-1 text-sm text-ink-2">
        Time
        <select className={select} value={days} onChange={(e) => set({ days: e.target.value, shift: "" })}>
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

const pct = (v: number, digits = 1) => `${(100 * v).toFixed(digits)} %`;

/** The share of what did not pass over time, with its limits. */
function TrendPart({ filter, step }: { filter: StatFilter; step: string }) {
  const q = useQuery({ queryKey: ["trend", filter, step], queryFn: () => trend(filter, step), placeholderData: (old) => old });
  const steps = q.data?.steps ?? [];
  const odd = steps.filter((s) => s.point.rules.length > 0);
  return (
    <Part title="Trend" says={`Share that did not pass, by ${step}; the band is where chance alone would keep it`} pending={q.isPending} error={q.error} retry={() => void q.refetch()}>
      {steps.length === 0 ? (
        <p className="text-base text-ink-2">Nothing was inspected in this time.</p>
      ) : (
        <>
          <Chart steps={steps} />
          <p className="m-0 mt-1 text-base">
            {odd.length === 0 ? "Nothing stands out." : `${odd.length} of ${steps.length} stand out, the last one ${odd.at(-1)!.name}: ${odd.at(-1)!.point.rules.map((r) => q.data!.rules[r - 1]).join("; ")}.`}
          </p>
        </>
      )}
    </Part>
  );
}

function Chart({ steps }: { steps: Step[] }) {
  const w = 560;
  const h = 190;
  const top = Math.max(...steps.map((s) => Math.max(s.point.value, Math.min(s.point.most, 4 * s.point.center))), 0.001) * 1.1;
  const x = (i: number) => 44 + (steps.length === 1 ? (w - 54) / 2 : (i * (w - 54)) / (steps.length - 1));
  const y = (v: number) => h - 22 - (Math.min(v, top) / top) * (h - 34);
  const band = `M${steps.map((s, i) => `${x(i).toFixed(1)} ${y(s.point.most).toFixed(1)}`).join("L")}L${[...steps]
    .map((s, i) => ({ s, i }))
    .reverse()
    .map(({ s, i }) => `${x(i).toFixed(1)} ${y(s.point.least).toFixed(1)}`)
    .join("L")}Z`;
  const worst = steps.reduce((a, b) => (b.point.value > a.point.value ? b : a));
  return (
    <svg viewBox={`0 0 ${w} ${h}`} className="mt-2 w-full" role="img" aria-label={`${steps.length} points, center ${pct(steps[0]!.point.center)}, the highest ${pct(worst.point.value)} at ${worst.name}`}>
      <path d={band} fill="var(--wash)" />
      <line x1={44} x2={w - 10} y1={y(steps[0]!.point.center)} y2={y(steps[0]!.point.center)} stroke="var(--ink-2)" strokeDasharray="5 4" />
      <path d={`M${steps.map((s, i) => `${x(i).toFixed(1)} ${y(s.point.value).toFixed(1)}`).join("L")}`} fill="none" stroke="var(--ink)" strokeWidth={1.5} />
      {steps.map((s, i) =>
        s.point.rules.length > 0 ? (
          <rect key={s.name} x={x(i) - 5} y={y(s.point.value) - 5} width={10} height={10} fill="var(--reject)">
            <title>{`${s.name}: ${pct(s.point.value)} of ${s.point.n}`}</title>
          </rect>
        ) : (
          <circle key={s.name} cx={x(i)} cy={y(s.point.value)} r={steps.length > 100 ? 1.5 : 3} fill="var(--ink)">
            <title>{`${s.name}: ${pct(s.point.value)} of ${s.point.n}`}</title>
          </circle>
        ),
      )}
      {[0, top / 2, top].map((v) => (
        <text key={v} x={40} y={y(v) + 4} textAnchor="end" fontSize={11} fill="var(--ink-2)">
          {pct(v)}
        </text>
      ))}
      <text x={44} y={h - 4} fontSize={11} fill="var(--ink-2)">
        {label(steps[0]!.name)}
      </text>
      <text x={w - 10} y={h - 4} fontSize={11} textAnchor="end" fill="var(--ink-2)">
        {label(steps.at(-1)!.name)}
      </text>
    </svg>
  );
}

/** An hour as it is on the clock here; other steps as they are called. */
const label = (name: string) => (name.endsWith("Z") ? new Date(name).toLocaleString("en-GB", { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" }) : name);

/** The reasons, the most frequent first, with their running sum. */
function ParetoPart({ filter }: { filter: StatFilter }) {
  const q = useQuery({ queryKey: ["pareto", filter], queryFn: () => pareto(filter), placeholderData: (old) => old });
  const bars = (q.data?.bars ?? []).slice(0, 9);
  const rest = (q.data?.bars.length ?? 0) - bars.length;
  const most = bars[0]?.count ?? 1;
  const search = new URLSearchParams(Object.entries(filter) as [string, string][]);
  search.set("not_passed", "true");
  const to = (reason: string) => {
    const p = new URLSearchParams(search);
    p.set("reason", reason);
    return `/items?${p.toString()}`;
  };
  return (
    <Part title="Reasons" says={`Of the ${q.data?.total ?? 0} that did not pass; a bar leads to its items`} pending={q.isPending} error={q.error} retry={() => void q.refetch()}>
      {bars.length === 0 ? (
        <p className="text-base text-ink-2">Everything passed in this time.</p>
      ) : (
        <ol className="m-0 mt-2 list-none p-0">
          {bars.map((b) => (
            <li key={b.reason + String(b.fault)}>
              <Link to={to(b.reason)} className="grid grid-cols-[8rem_1fr_9.5rem] items-center gap-3 py-0.5 text-base text-ink no-underline hover:bg-wash">
                <span className="truncate">{b.fault ? (faultWords[b.reason] ?? b.reason) : b.reason}</span>
                <span className="h-5 bg-wash">
                  <span className={`block h-5 ${b.fault ? "bg-fault" : "bg-reject"}`} style={{ width: `${(100 * b.count) / most}%` }} />
                </span>
                <span className="text-right tabular-nums">
                  {b.count} <span className="text-sm text-ink-2">{pct(b.sum, 0)} so far</span>
                </span>
              </Link>
            </li>
          ))}
          {rest > 0 && <li className="text-sm text-ink-2">and {rest} more</li>}
        </ol>
      )}
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
              {shown.map((s) => (
                <tr key={s} className="border-t border-hairline">
                  <td className={`${cell} whitespace-nowrap`}>
                    <button className="text-accent-text underline" onClick={() => set({ shift: s })}>
                      {s.replace("/", " ")}
                    </button>
                  </td>
                  {o.stations.map((st) => {
                    const c = o.cells.find((x) => x.shift === s && x.station === st);
                    return (
                      <td key={st} className={`${cell} whitespace-nowrap`}>
                        {c ? (
                          <>
                            <span className={`font-semibold tabular-nums ${c.verdict === "higher" ? "text-reject" : ""}`}>
                              {c.verdict === "higher" ? "▼ " : c.verdict === "lower" ? "▲ " : ""}
                              {pct(c.yield)}
                            </span>
                            <span className="block text-sm text-ink-2">
                              {c.counts.inspected}
                              {c.top ? `, ${c.top}` : ""}
                            </span>
                          </>
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

/** Groups beside all others, with the range that their yield lies in. */
function ComparePart({ filter, by, set }: { filter: StatFilter; by: string; set: (c: Record<string, string>) => void }) {
  const q = useQuery({ queryKey: ["compare", filter, by], queryFn: () => compareBy(filter, by), placeholderData: (old) => old });
  const groups = q.data?.groups ?? [];
  const lo = Math.min(...groups.map((g) => g.range.least), 1);
  const x = (v: number) => (100 * (v - lo)) / Math.max(1 - lo, 1e-9);
  return (
    <Part title="Compare" says="Yield of each, the range it lies in (95 of 100 cases), and whether it has more or fewer rejects than all others together, by more than chance" pending={q.isPending} error={q.error} retry={() => void q.refetch()}>
      <label className="mt-2 flex w-64 flex-col gap-1 text-sm text-ink-2">
        What to compare
        <select className={select} value={by} onChange={(e) => set({ by: e.target.value })}>
          {Object.entries(byWords).map(([v, w]) => (
            <option key={v} value={v}>
              {w}
            </option>
          ))}
        </select>
      </label>
      {groups.length === 0 ? (
        <p className="text-base text-ink-2">Nothing was inspected in this time.</p>
      ) : (
        <ul className="m-0 mt-2 list-none p-0">
          {groups.map((g) => (
            <li key={g.name} className="grid grid-cols-[14rem_1fr_9rem_11rem_8rem] items-center gap-3 border-t border-hairline py-1.5 text-base max-md:grid-cols-2">
              <span className="truncate" title={g.name}>
                {by === "revision" ? g.name.replace("sha256:", "").slice(0, 12) || "none" : g.name || "none"}
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
