import { useEffect, useRef, useState } from "react";
import { follow, type Envelope, type Key, type Limit, type Progress, type Report } from "../../api/workbench";
import { num } from "../../lib/format";
import { checksOf, get, put, type Check } from "../../lib/recipe";
import { Button, Empty } from "../../ui/parts";
import type { Editing } from "./useDraft";

/** Runs a trial whenever the tree changes; the last report stays until the next is there. */
function useTrial(k: Key, e: Editing) {
  const [report, setReport] = useState<Report | null>(null);
  const [going, setGoing] = useState<Progress | null>(null);
  const [trouble, setTrouble] = useState("");
  const want = JSON.stringify([k, e.tree]);
  useEffect(() => {
    const stop = new AbortController();
    const wait = setTimeout(() => {
      setGoing({ done: 0, of: 0 });
      const [key, tree] = JSON.parse(want) as [Key, Record<string, unknown>];
      follow(key, "trial", tree, stop.signal, setGoing)
        .then((p) => {
          setGoing(null);
          setTrouble(p.problems ? (p.problems[0]?.field ?? "") + ": " + (p.problems[0]?.what ?? "") : (p.error ?? ""));
          if (p.report) setReport(p.report);
        })
        .catch((x: unknown) => {
          if (stop.signal.aborted) return;
          setGoing(null);
          setTrouble(x instanceof Error ? x.message : String(x));
        });
    }, 150);
    return () => {
      clearTimeout(wait);
      stop.abort();
    };
  }, [want]);
  return { report, going, trouble };
}

export function TrialTab({ k, e, show, toSamples }: { k: Key; e: Editing; show: (sample: string) => void; toSamples: () => void }) {
  const { report, going, trouble } = useTrial(k, e);
  if (trouble)
    return (
      <Empty title="The draft cannot be tried">
        {trouble}. Mend it under Checks; the trial runs again by itself.
      </Empty>
    );
  if (!report) return <p role="status" className="px-5 py-10 text-base text-ink-2">Judging the samples{going?.of ? `, ${going.done} of ${going.of}` : ""}…</p>;
  if (report.samples === 0)
    return (
      <Empty title="No samples to try the recipe on" action={<Button kind="main" onClick={toSamples}>Add samples</Button>}>
        A trial judges pictures of which you know what should become of them, and shows how far each limit lies from good and bad ones.
      </Empty>
    );
  const wrong = report.results.filter((r) => !r.right || r.error);
  const labeled = report.samples - report.unlabeled;
  return (
    <div className="min-h-0 flex-1 overflow-y-auto">
      <div className="flex flex-wrap items-center gap-x-6 gap-y-1 border-b border-hairline px-5 py-3">
        <p role="status" className="m-0 text-lg">
          <span className={`text-2xl font-semibold ${report.wrong > 0 ? "text-reject" : "text-pass"}`}>{labeled - report.wrong}</span> of {labeled} samples judged rightly
          {report.let_through > 0 && <span className="font-semibold text-reject">, {report.let_through} let through that should not pass</span>}
        </p>
        <span className="text-sm text-ink-2">{going ? `judging again, ${going.done} of ${going.of}…` : ""}</span>
      </div>
      <div className="grid grid-cols-[minmax(0,1fr)_24rem] max-lg:grid-cols-1">
        <section aria-label="Limits" className="min-w-0 border-r border-hairline px-5 py-3">
          <h2 className="m-0 text-lg font-semibold">{report.limits[0]?.margin !== undefined && report.limits[0].margin < 0.1 ? `Thinnest margin: ${report.limits[0].reading} of ${report.limits[0].check}` : "Margins"}</h2>
          <p className="mb-2 mt-0 text-sm text-ink-2">Each mark is a sample. Drag a limit, or press its arrow keys; the verdicts follow.</p>
          {report.limits.length === 0 && <p className="text-base text-ink-2">No reading has limits yet. Set some under Checks.</p>}
          {report.limits.map((l) => (
            <Plot key={`${l.check}.${l.reading}`} l={l} e={e} show={show} />
          ))}
          <Stress k={k} e={e} />
        </section>
        <aside aria-label="Verdicts" className="px-5 py-3">
          <h2 className="m-0 text-lg font-semibold">{wrong.length === 0 ? "All as labeled" : wrong.length === 1 ? "One judged wrong" : `${wrong.length} judged wrong`}</h2>
          <ul className="m-0 list-none p-0">
            {wrong.map((r) => (
              <li key={r.sample} className="border-b border-hairline py-2">
                <button type="button" className="block w-full text-left hover:bg-wash" onClick={() => show(r.sample)}>
                  <span className="block truncate font-mono text-sm">{r.sample}</span>
                  <span className="block text-base">
                    <span className="font-semibold">{r.label}</span>, but {r.error ? "cannot be read" : r.fault ? "fault" : r.route}: <span className="text-ink-2">{r.sentence}</span>
                  </span>
                </button>
              </li>
            ))}
          </ul>
          <Confusion report={report} />
        </aside>
      </div>
    </div>
  );
}

function Confusion({ report }: { report: Report }) {
  const routes = ["pass", "rework", "reject", "fault"];
  for (const c of report.confusion) for (const r of Object.keys(c.routes)) if (!routes.includes(r)) routes.push(r);
  const right: Record<string, string> = { good: "pass", bad: "reject" };
  return (
    <table className="mt-4 w-full border-collapse text-base">
      <caption className="pb-1 text-left text-sm text-ink-2">Labels (rows) and where the samples went</caption>
      <thead>
        <tr className="border-b border-hairline text-sm text-ink-2">
          <th />
          {routes.map((r) => (
            <th key={r} className="py-1 text-right font-normal">
              {r}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {report.confusion.map((c) => (
          <tr key={c.label} className="border-b border-hairline">
            <th className="py-1.5 text-left font-medium">{c.label}</th>
            {routes.map((r) => {
              const n = c.routes[r] ?? 0;
              const ok = c.label === "unlabeled" || (right[c.label] ?? c.label) === r;
              return (
                <td key={r} className={`py-1.5 text-right ${n === 0 ? "text-ink-2" : ok ? "font-semibold" : "font-semibold text-reject"}`}>
                  {n || "·"}
                </td>
              );
            })}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const inks = { good: "var(--pass)", bad: "var(--reject)", other: "var(--idle)" } as const;

/** Writes one end of a limit into the tree. */
function withLimit(e: Editing, l: Limit, end: "least" | "most", to: number, passing: boolean) {
  if (typeof e.tree["base"] === "string") {
    const whole = checksOf(e.draft.whole as Record<string, unknown>).find((c) => c.id === l.check);
    const was = get(e.tree, ["change", `${l.check}/${l.setting}`]) ?? (whole && get(whole, l.setting.split("/")));
    const next = l.setting === "accept_score" ? to : ends(was, end, to);
    return e.change(put(e.tree, ["change", `${l.check}/${l.setting}`], next), passing);
  }
  const checks = checksOf(e.tree).map((c) => (c.id === l.check || c.id === l.check.replace(/_\d+$/, "") ? (put(c, l.setting.split("/"), l.setting === "accept_score" ? to : ends(get(c, l.setting.split("/")), end, to)) as Check) : c));
  e.change({ ...e.tree, checks }, passing);
}

function ends(was: unknown, end: "least" | "most", to: number): Record<string, number> {
  const l = (was ?? {}) as Record<string, number>;
  if (l["nominal"] !== undefined && l["tolerance"] !== undefined) {
    const both = { least: l["nominal"] - l["tolerance"], most: l["nominal"] + l["tolerance"] };
    return { ...both, [end]: to };
  }
  return { ...l, [end]: to };
}

/** The readings of all samples on one line, good above and bad below, with the limits to drag. */
function Plot({ l, e, show }: { l: Limit; e: Editing; show: (sample: string) => void }) {
  const ref = useRef<SVGSVGElement>(null);
  const values = [...l.points.map((p) => p.value), ...[l.least?.at, l.most?.at, l.least?.proposed, l.most?.proposed].filter((v) => v !== undefined)];
  const [lo, hi] = [Math.min(...values), Math.max(...values)];
  const room = (hi - lo || Math.abs(hi) || 1) * 0.08;
  const [from, to] = [lo - room, hi + room];
  const W = 640;
  const x = (v: number) => 8 + ((v - from) / (to - from)) * (W - 16);
  const step = l.whole ? 1 : Number(((to - from) / 100).toPrecision(1));
  const neat = (v: number) => (l.whole ? Math.round(v) : Number(v.toPrecision(3)));
  const drag = (ev: React.PointerEvent, end: "least" | "most") => {
    if (!l.setting) return;
    ev.preventDefault();
    (ev.currentTarget as HTMLElement).focus();
    const box = ref.current!.getBoundingClientRect();
    const move = (m: PointerEvent) => {
      const v = neat(from + (((m.clientX - box.left) / box.width) * W - 8) / ((W - 16) / (to - from)));
      withLimit(e, l, end, v, m.type === "pointermove");
      if (m.type !== "pointermove") {
        window.removeEventListener("pointermove", move);
        window.removeEventListener("pointerup", move);
      }
    };
    window.addEventListener("pointermove", move);
    window.addEventListener("pointerup", move);
  };
  const margin = l.margin;
  return (
    <figure className="m-0 border-t border-hairline py-2" data-testid={`plot-${l.check}-${l.reading}`}>
      <figcaption className="flex flex-wrap items-baseline gap-x-4 text-base">
        <span className="font-mono text-sm">{l.check}</span>
        <span className="font-medium">
          {l.reading.replaceAll("_", " ")} {l.unit && <span className="text-ink-2">{l.unit}</span>}
        </span>
        <span className={margin === undefined ? "text-ink-2" : margin < 0 ? "font-semibold text-reject" : margin < 0.15 ? "font-semibold text-accent-text" : "text-ink-2"}>
          {margin === undefined ? "no good sample reads it" : margin < 0 ? "good and bad are not parted" : `margin ${Math.round(margin * 100)} %`}
        </span>
        {(["least", "most"] as const).map((end) => {
          const v = l[end];
          if (!v || v.proposed === undefined || !l.setting || Math.abs(v.proposed - v.at) < 1e-9) return null;
          return (
            <button key={end} type="button" title={v.why} className="min-h-8 rounded-md border border-hairline px-2 text-sm hover:bg-wash" onClick={() => withLimit(e, l, end, v.proposed!, false)}>
              {end === "least" ? "at least" : "at most"} {num(v.proposed)} would be best
            </button>
          );
        })}
      </figcaption>
      <svg ref={ref} viewBox={`0 0 ${W} 74`} className="w-full touch-none">
        {l.least && <rect x={0} y={6} width={Math.max(0, x(l.least.at))} height={48} fill="var(--reject)" opacity={0.08} />}
        {l.most && <rect x={x(l.most.at)} y={6} width={Math.max(0, W - x(l.most.at))} height={48} fill="var(--reject)" opacity={0.08} />}
        <line x1={0} x2={W} y1={30} y2={30} stroke="var(--hairline)" />
        {l.points.map((p) => (
          <g key={p.sample} className="cursor-pointer" onClick={() => show(p.sample)}>
            <title>{`${p.sample}: ${num(p.value)} ${l.unit} (${p.group})`}</title>
            {p.group === "good" ? <circle cx={x(p.value)} cy={20} r={4.5} fill={inks.good} fillOpacity={0.75} /> : <path d={`M${x(p.value)} ${34}l6 6-6 6-6-6z`} fill={inks[p.group]} fillOpacity={p.group === "other" ? 0.35 : 0.85} />}
          </g>
        ))}
        {(["least", "most"] as const).map((end) => {
          const v = l[end];
          if (!v) return null;
          return (
            <g
              key={end}
              tabIndex={l.setting ? 0 : -1}
              role="slider"
              aria-label={`${l.check} ${l.reading} ${end === "least" ? "at least" : "at most"}`}
              aria-valuenow={v.at}
              aria-valuetext={`${num(v.at)} ${l.unit}`}
              onPointerDown={(ev) => drag(ev, end)}
              onKeyDown={(ev) => {
                const by = ev.key === "ArrowLeft" || ev.key === "ArrowDown" ? -step : ev.key === "ArrowRight" || ev.key === "ArrowUp" ? step : 0;
                if (!by || !l.setting) return;
                ev.preventDefault();
                ev.stopPropagation();
                withLimit(e, l, end, neat(v.at + by), false);
              }}
              className={l.setting ? "cursor-ew-resize" : ""}
            >
              <rect x={x(v.at) - 14} y={2} width={28} height={56} fill="transparent" />
              <line x1={x(v.at)} x2={x(v.at)} y1={4} y2={56} stroke="var(--ink)" strokeWidth={2.5} />
              {l.setting && <rect x={x(v.at) - 5} y={24} width={10} height={12} rx={2} fill="var(--accent)" stroke="var(--ink)" />}
              <text x={Math.min(W - 60, Math.max(60, x(v.at)))} y={70} textAnchor="middle" fontSize={13} fill="var(--ink)">
                {end === "least" ? "at least" : "at most"} {num(v.at)}
              </text>
            </g>
          );
        })}
      </svg>
    </figure>
  );
}

/** How much of each disturbance the recipe holds; it takes a while, so one asks for it. */
function Stress({ k, e }: { k: Key; e: Editing }) {
  const [list, setList] = useState<Envelope[] | null>(null);
  const [going, setGoing] = useState<Progress | null>(null);
  const [trouble, setTrouble] = useState("");
  const stop = useRef<AbortController | null>(null);
  useEffect(() => () => stop.current?.abort(), []);
  const run = () => {
    stop.current = new AbortController();
    setTrouble("");
    setList(null);
    setGoing({ done: 0, of: 0 });
    follow(k, "stress", e.tree, stop.current.signal, setGoing)
      .then((p) => {
        setList(p.envelope ?? null);
        setTrouble(p.error ?? p.problems?.[0]?.what ?? "");
      })
      .catch((x: unknown) => !stop.current?.signal.aborted && setTrouble(x instanceof Error ? x.message : String(x)))
      .finally(() => setGoing(null));
  };
  return (
    <section aria-label="Stress trial" className="border-t border-hairline py-3">
      <div className="flex items-center gap-3">
        <h2 className="m-0 flex-1 text-lg font-semibold">Stress trial</h2>
        {going ? (
          <>
            <span role="status" className="text-sm text-ink-2">
              {going.done} of {going.of || "…"}
            </span>
            <Button onClick={() => stop.current?.abort()}>Stop</Button>
          </>
        ) : (
          <Button onClick={run}>{list ? "Run it again" : "Run it"}</Button>
        )}
      </div>
      <p className="mb-2 mt-0 text-sm text-ink-2">The samples again, darker, lighter, blurred, noisier, shifted, turned, step by step until verdicts change.</p>
      {trouble && <p className="text-base text-reject">{trouble}</p>}
      {list && (
        <table className="w-full border-collapse text-base">
          <thead>
            <tr className="border-b border-hairline text-left text-sm text-ink-2">
              <th className="py-1 font-normal">Disturbance</th>
              <th className="font-normal">Holds up to</th>
              <th />
              <th className="font-normal">Then gives way</th>
            </tr>
          </thead>
          <tbody>
            {list.map((v) => (
              <tr key={v.disturbance} className="border-b border-hairline" title={v.sample ? `${v.sample}: ${v.sentence}` : ""}>
                <td className="py-1.5">{v.disturbance}</td>
                <td className="whitespace-nowrap pr-3 font-semibold">
                  {v.holds} {v.unit}
                </td>
                <td className="w-48">
                  <span className="flex h-3 w-44" aria-hidden>
                    {v.steps.map((s) => (
                      <span key={s.amount} className={`mr-0.5 flex-1 ${s.let_through > 0 ? "bg-fault" : s.changed > 0 ? "bg-reject" : "bg-pass"}`} />
                    ))}
                  </span>
                </td>
                <td>{v.all ? <span className="text-ink-2">no verdict changes</span> : <span className="font-mono text-sm">{v.first}</span>}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
