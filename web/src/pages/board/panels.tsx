import { useQuery } from "@tanstack/react-query";
import { useState, type ReactNode } from "react";
import { Link } from "react-router";
import { about, items, latest, pareto, readingChart, stations, trend, type BoardPanel, type Item, type ItemDetail, type Station } from "../../api/client";
import { clock, num, percent } from "../../lib/format";
import { faultWords } from "../../lib/verdict";
import { ReasonBars, TrendChart } from "../../ui/charts";
import { StatusMark, statusWord } from "../../ui/marks";
import { Verdict } from "../../ui/parts";
import { Picture, Thumb } from "../../ui/picture";
import { useOverlays } from "../../ui/useOverlays";

/* A kind of panel is a function here and a line in the table below. */

type Of = { p: BoardPanel; s?: Station };

const Quiet = ({ children }: { children: ReactNode }) => <p className="m-0 p-3 text-base text-ink-2">{children}</p>;
const Title = ({ children }: { children: ReactNode }) => <h2 className="m-0 truncate px-3 pt-2 text-sm font-medium text-ink-2">{children}</h2>;
const nameOf = (s?: Station) => (s ? `${s.line}: ${s.name}` : "all stations");

function HeaderPanel({ p }: Of) {
  const a = useQuery({ queryKey: ["about"], queryFn: about });
  return (
    <div className="flex h-full items-center justify-between gap-4 px-4">
      <h2 className="m-0 truncate text-2xl font-semibold">{p.text || a.data?.site}</h2>
      {p.text && <span className="text-ink-2">{a.data?.site}</span>}
    </div>
  );
}

function PicturePanel({ p, s }: Of) {
  const last = useQuery({ queryKey: ["latest", p.station], queryFn: () => latest(p.station!) });
  const [shown, setShown] = useState<ItemDetail | null>(null);
  const { overlays, hidden } = useOverlays();
  const told = last.data?.picture && shown ? shown : last.data;
  return (
    <div className="flex h-full flex-col">
      <div className="flex items-center gap-3 px-3 py-1">
        {told ? <Verdict item={told} /> : <span className="text-ink-2">no item yet</span>}
        <Link to={`/stations/${p.station}`} className="min-w-0 flex-1 truncate text-sm text-ink-2 no-underline">
          {told && told.route !== "pass" ? told.sentence : nameOf(s)}
        </Link>
      </div>
      <div className="min-h-0 flex-1 bg-pane">
        {last.data && (
          <div className="flex h-full w-full items-center justify-center [container-type:size]">
            <div style={{ width: "min(100cqw, 133.333cqh)" }}>
              <Picture item={last.data} overlays={overlays} hidden={hidden} onShown={setShown} />
            </div>
          </div>
        )}
      </div>
    </div>
  );
}

function StripPanel({ p, s }: Of) {
  const passes = p.show === "passes";
  const q = useQuery({ queryKey: ["board-strip", p.station, passes], queryFn: () => items({ station: p.station!, pictured: true, limit: 24, ...(passes ? { route: "pass" } : { not_passed: true }) }), refetchInterval: 3000 });
  return (
    <div className="flex h-full flex-col">
      <Title>{`${passes ? "Passed" : "Did not pass"}, ${nameOf(s)}`}</Title>
      {q.data && q.data.items.length === 0 ? (
        <Quiet>{passes ? "The picture of one pass in so many is kept and appears here." : "The next one appears here."}</Quiet>
      ) : (
        <ul className="m-0 flex min-h-0 flex-1 list-none flex-wrap content-start gap-2 overflow-hidden p-3">
          {q.data?.items.map((i) => (
            <li key={i.id} className="w-28">
              <Link to={`/items/${i.id}`} className="block text-ink no-underline" title={i.sentence}>
                <Thumb id={i.id} picture={i.picture} />
                <span className="block truncate text-sm">{i.route === "pass" ? clock(i.time) : (faultWords[i.fault] ?? i.reason)}</span>
              </Link>
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}

function CountersPanel({ s }: Of) {
  if (!s) return null;
  const n = s.counters;
  return (
    <div className="flex h-full flex-col justify-between p-3">
      <p className="m-0 flex items-center gap-2 text-base">
        <StatusMark status={s.status} /> <b>{statusWord(s.status)}</b> <span className="truncate text-ink-2">{`${nameOf(s)}, ${s.product}`}</span>
      </p>
      <p className="m-0 text-3xl font-semibold tabular-nums">{percent(n.routes["pass"] ?? 0, n.inspected)}</p>
      <p className="m-0 text-base text-ink-2">{`${n.inspected} inspected, ${n.routes["reject"] ?? 0} rejected, ${n.faults} faults`}</p>
    </div>
  );
}

/** The newest values of a reading with the limits of the recipe. */
function ReadingPanel({ p, s }: Of) {
  const q = useQuery({ queryKey: ["board-reading", p.station, p.reading], queryFn: () => readingChart({ station: p.station!, name: p.reading!, size: 1, limit: 120 }), refetchInterval: 2000 });
  const c = q.data;
  if (!c || c.chart.length === 0)
    return (
      <>
        <Title>{`${p.reading}, ${nameOf(s)}`}</Title>
        <Quiet>{q.isPending ? "Fetching…" : q.isError ? q.error.message : "No item has this reading yet."}</Quiet>
      </>
    );
  const values = c.chart.map((x) => x.value);
  const all = values.concat(c.least ?? [], c.most ?? []);
  const lo = Math.min(...all);
  const hi = Math.max(...all);
  const pad = (hi - lo || 1) * 0.08;
  const y = (v: number) => 100 - ((v - lo + pad) / (hi - lo + 2 * pad)) * 100;
  const x = (i: number) => (values.length === 1 ? 50 : (100 * i) / (values.length - 1));
  const out = (v: number) => (c.least !== undefined && v < c.least) || (c.most !== undefined && v > c.most);
  const last = c.chart.at(-1)!;
  return (
    <div className="flex h-full flex-col">
      <Title>
        <Link to={`/statistics/reading?station=${p.station}&name=${p.reading}`} className="text-ink-2">{`${p.reading}, ${nameOf(s)}`}</Link>
      </Title>
      <div className="flex min-h-0 flex-1 gap-3 p-3">
        <div className="flex min-w-0 flex-1 flex-col">
          <svg viewBox="0 0 100 100" preserveAspectRatio="none" className="min-h-0 w-full flex-1" role="img" aria-label={`The last ${values.length} values, from ${num(Math.min(...values))} to ${num(Math.max(...values))}`}>
            {[c.least, c.most].map((v, i) => v !== undefined && <line key={i} x1={0} x2={100} y1={y(v)} y2={y(v)} stroke="var(--reject)" strokeDasharray="6 4" vectorEffect="non-scaling-stroke" />)}
            <polyline points={values.map((v, i) => `${x(i)},${y(v)}`).join(" ")} fill="none" stroke="var(--ink)" strokeWidth={1.5} vectorEffect="non-scaling-stroke" />
            {values.map((v, i) => out(v) && <line key={i} x1={x(i)} x2={x(i)} y1={y(v)} y2={y(v)} stroke="var(--reject)" strokeWidth={8} strokeLinecap="round" vectorEffect="non-scaling-stroke" />)}
          </svg>
        </div>
        <Link to={`/items/${last.item}`} className={`self-center text-2xl font-semibold tabular-nums no-underline ${out(last.value) ? "text-reject" : "text-ink"}`}>
          {num(last.value)}
        </Link>
      </div>
    </div>
  );
}

const dayAgo = () => new Date(Math.floor(Date.now() / 300_000) * 300_000 - 86_400_000).toISOString();

function TrendPanel({ p, s }: Of) {
  const filter = { from: dayAgo(), ...(p.station ? { station: p.station } : {}) };
  const q = useQuery({ queryKey: ["trend", filter, "hour", "board"], queryFn: () => trend(filter, "hour"), refetchInterval: 60_000 });
  return (
    <div className="h-full overflow-hidden">
      <Title>{`Did not pass in 24 hours, ${nameOf(s)}`}</Title>
      <div className="px-3">{q.data && (q.data.steps.length > 0 ? <TrendChart steps={q.data.steps} /> : <Quiet>Nothing was inspected.</Quiet>)}</div>
    </div>
  );
}

function ReasonsPanel({ p, s }: Of) {
  const filter = { from: dayAgo(), ...(p.station ? { station: p.station } : {}) };
  const q = useQuery({ queryKey: ["pareto", filter, "board"], queryFn: () => pareto(filter), refetchInterval: 60_000 });
  const to = (reason: string) => `/items?${new URLSearchParams({ ...filter, not_passed: "true", reason }).toString()}`;
  return (
    <div className="h-full overflow-hidden">
      <Title>{`Reasons in 24 hours, ${nameOf(s)}`}</Title>
      <div className="px-3">{q.data && (q.data.bars.length > 0 ? <ReasonBars bars={q.data.bars} to={to} /> : <Quiet>Everything passed.</Quiet>)}</div>
    </div>
  );
}

/** The newest items in words; the picture of one shows what it was. */
function LogPanel({ p, s }: Of) {
  const live = useQuery<Item[]>({ queryKey: ["recent", p.station], queryFn: async () => (await items({ station: p.station!, limit: 60 })).items });
  return (
    <div className="flex h-full flex-col">
      <Title>{nameOf(s)}</Title>
      <ol className="m-0 min-h-0 flex-1 list-none overflow-y-auto px-3 pb-2 text-sm">
        {(live.data ?? []).map((i) => (
          <li key={i.id} className="border-b border-hairline">
            <Link to={`/items/${i.id}`} className="flex gap-3 py-1 text-ink no-underline hover:bg-wash">
              <span className="tabular-nums text-ink-2">{clock(i.time)}</span>
              <span className={i.route === "pass" ? "" : i.fault ? "font-semibold text-fault" : "font-semibold text-reject"}>{i.fault ? (faultWords[i.fault] ?? i.fault) : i.route}</span>
              <span className="min-w-0 truncate">{i.sentence}</span>
            </Link>
          </li>
        ))}
      </ol>
    </div>
  );
}

/** The kinds of panels: what they are called, what they need, how large they begin. */
export const panelKinds: Record<BoardPanel["kind"], { word: string; station: "must" | "may" | "no"; w: number; h: number; show: (of: Of) => ReactNode }> = {
  picture: { word: "Live picture", station: "must", w: 6, h: 5, show: PicturePanel },
  strip: { word: "Strip of pictures", station: "must", w: 6, h: 3, show: StripPanel },
  counters: { word: "Counters", station: "must", w: 3, h: 2, show: CountersPanel },
  reading: { word: "Reading over time", station: "must", w: 6, h: 3, show: ReadingPanel },
  trend: { word: "Trend", station: "may", w: 6, h: 4, show: TrendPanel },
  reasons: { word: "Reasons", station: "may", w: 6, h: 4, show: ReasonsPanel },
  log: { word: "Log of items", station: "must", w: 4, h: 4, show: LogPanel },
  header: { word: "Heading", station: "no", w: 12, h: 1, show: HeaderPanel },
};

/** One panel with what it shows. */
export function Panel({ p }: { p: BoardPanel }) {
  const list = useQuery({ queryKey: ["stations"], queryFn: stations });
  const Show = panelKinds[p.kind].show;
  const s = list.data?.find((x) => x.id === p.station);
  if (p.station && list.isSuccess && !s) return <Quiet>{`There is no station ${p.station} any more. Take this panel away, or choose another station.`}</Quiet>;
  return <Show p={p} s={s} />;
}
