import { Link } from "react-router";
import type { ParetoChart, Step } from "../api/client";
import { faultWords } from "../lib/verdict";

export const pct = (v: number, digits = 1) => `${(100 * v).toFixed(digits)} %`;

/** An hour as it is on the clock here; other steps as they are called. */
export const stepName = (name: string) =>
  name.endsWith("Z") ? new Date(name).toLocaleString("en-GB", { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" }) : name.replace("/", " ");

/** The share of what did not pass over time, with its limits. A point leads to what is in it. */
export function TrendChart({ steps, pick, says = pct }: { steps: Step[]; pick?: (s: Step) => void; says?: (v: number) => string }) {
  const w = 560;
  const h = 190;
  const top = Math.max(...steps.map((s) => Math.max(s.point.value, Math.min(s.point.most, 4 * s.point.center))), 0.001) * 1.1;
  const x = (i: number) => 44 + (steps.length === 1 ? (w - 54) / 2 : (i * (w - 54)) / (steps.length - 1));
  const y = (v: number) => h - 22 - (Math.min(v, top) / top) * (h - 34);
  const band = `M${steps.map((s, i) => `${x(i).toFixed(1)} ${y(s.point.most).toFixed(1)}`).join("L")}L${steps
    .map((s, i) => `${x(i).toFixed(1)} ${y(s.point.least).toFixed(1)}`)
    .reverse()
    .join("L")}Z`;
  const worst = steps.reduce((a, b) => (b.point.value > a.point.value ? b : a));
  return (
    <svg viewBox={`0 0 ${w} ${h}`} className="mt-2 w-full" role="img" aria-label={`${steps.length} points, center ${says(steps[0]!.point.center)}, the highest ${says(worst.point.value)} at ${stepName(worst.name)}`}>
      <path d={band} fill="var(--wash)" />
      <line x1={44} x2={w - 10} y1={y(steps[0]!.point.center)} y2={y(steps[0]!.point.center)} stroke="var(--ink-2)" strokeDasharray="5 4" />
      <path d={`M${steps.map((s, i) => `${x(i).toFixed(1)} ${y(s.point.value).toFixed(1)}`).join("L")}`} fill="none" stroke="var(--ink)" strokeWidth={1.5} />
      {steps.map((s, i) => (
        <g key={s.name} onClick={pick && (() => pick(s))} className={pick ? "cursor-pointer" : ""}>
          <title>{`${stepName(s.name)}: ${says(s.point.value)} of ${s.point.n}${pick ? "; click to look into it" : ""}`}</title>
          {pick && <rect x={x(i) - Math.max((w - 54) / steps.length / 2, 3)} y={8} width={Math.max((w - 54) / steps.length, 6)} height={h - 30} fill="transparent" />}
          {s.point.rules.length > 0 ? (
            <rect x={x(i) - 5} y={y(s.point.value) - 5} width={10} height={10} fill="var(--reject)" />
          ) : (
            <circle cx={x(i)} cy={y(s.point.value)} r={steps.length > 100 ? 1.5 : 3} fill="var(--ink)" />
          )}
        </g>
      ))}
      {[0, top / 2, top].map((v) => (
        <text key={v} x={40} y={y(v) + 4} textAnchor="end" fontSize={11} fill="var(--ink-2)">
          {says(v)}
        </text>
      ))}
      <text x={44} y={h - 4} fontSize={11} fill="var(--ink-2)">
        {stepName(steps[0]!.name)}
      </text>
      <text x={w - 10} y={h - 4} fontSize={11} textAnchor="end" fill="var(--ink-2)">
        {stepName(steps.at(-1)!.name)}
      </text>
    </svg>
  );
}

const row = 26;
const mostBars = 9;

/** The reasons, the most frequent first, as bars that lead to their items, and their running sum as a line. */
export function ReasonBars({ bars, to }: { bars: ParetoChart["bars"]; to: (reason: string) => string }) {
  const shown = bars.slice(0, mostBars);
  const rest = bars.length - shown.length;
  const most = shown[0]?.count ?? 1;
  return (
    <div className="relative mt-2">
      <ol className="m-0 list-none p-0">
        {shown.map((b) => (
          <li key={b.reason + String(b.fault)} style={{ height: row }}>
            <Link to={to(b.reason)} className="grid h-full grid-cols-[7rem_1fr_8rem] items-center gap-3 text-base text-ink no-underline hover:bg-wash">
              <span className="truncate">{b.fault ? (faultWords[b.reason] ?? b.reason) : b.reason}</span>
              <span className="h-4 bg-wash">
                <span className={`block h-4 ${b.fault ? "bg-fault" : "bg-reject"}`} style={{ width: `${(100 * b.count) / most}%` }} />
              </span>
              <span className="text-right tabular-nums">
                {b.count} <span className="inline-block w-12 whitespace-nowrap text-sm text-ink-2">{pct(b.sum, 0)}</span>
              </span>
            </Link>
          </li>
        ))}
      </ol>
      <div className="pointer-events-none absolute inset-0 grid grid-cols-[7rem_1fr_8rem] gap-3" aria-hidden>
        <svg viewBox={`0 0 100 ${row * shown.length}`} preserveAspectRatio="none" className="col-start-2 w-full" style={{ height: row * shown.length }}>
          <polyline points={shown.map((b, i) => `${100 * b.sum},${row * (i + 0.5)}`).join(" ")} fill="none" stroke="var(--ink)" strokeWidth={1.5} vectorEffect="non-scaling-stroke" />
        </svg>
      </div>
      <p className="m-0 mt-1 text-sm text-ink-2">{`The line and the last number are the share so far.${rest > 0 ? ` ${rest} more reasons are not shown.` : ""}`}</p>
    </div>
  );
}

/** A small line of how a share went, the newest to the right. */
export function Sparkline({ values, label }: { values: number[]; label: string }) {
  if (values.length < 2) return null;
  const lo = Math.min(...values);
  const hi = Math.max(...values);
  const y = (v: number) => 20 - ((v - lo) / (hi - lo || 1)) * 18;
  return (
    <svg viewBox="0 0 100 22" preserveAspectRatio="none" className="h-6 w-full max-w-32" role="img" aria-label={label}>
      <polyline points={values.map((v, i) => `${(100 * i) / (values.length - 1)},${y(v)}`).join(" ")} fill="none" stroke="var(--ink-2)" strokeWidth={1.3} vectorEffect="non-scaling-stroke" />
    </svg>
  );
}
