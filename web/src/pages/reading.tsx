import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { latest, overview, readingChart, stations, type ReadingChart } from "../api/client";
import { num, when } from "../lib/format";
import { useFilters } from "../lib/params";
import { useKeys } from "../ui/keys";
import { Empty, fieldLook, Heading, StationOptions, Trouble, Waiting } from "../ui/parts";


/** The control chart of one reading, its histogram against the limits, and what it is capable of. What is shown is in the address. */
export function ReadingPage() {
  const [params, set] = useFilters();
  const go = useNavigate();
  useKeys({ Escape: () => go("/statistics") });
  const list = useQuery({ queryKey: ["stations"], queryFn: stations });
  const station = params.get("station") ?? list.data?.[0]?.id ?? "";
  const [from] = useState(() => new Date(Date.now() - 7 * 86_400_000).toISOString());
  const shifts = useQuery({ queryKey: ["shifts-of", station, from], queryFn: () => overview({ station, from }), enabled: station !== "" });
  const last = useQuery({ queryKey: ["latest", station], queryFn: () => latest(station), enabled: station !== "" });
  const names = (last.data?.findings ?? []).flatMap((f) => Object.keys(f.readings).map((r) => `${f.check}.${r}`));
  const name = params.get("name") ?? names[0] ?? "";
  const size = Number(params.get("size") ?? "1") || 1;
  const limit = Number(params.get("limit") ?? "300") || 300;
  const shift = params.get("shift") ?? "";
  const q = useQuery({
    queryKey: ["reading", station, name, size, limit, shift],
    queryFn: () => readingChart({ station, name, size, limit, ...(shift ? { shift } : {}) }),
    enabled: station !== "" && name !== "",
    placeholderData: (old) => old,
    refetchInterval: 5000,
  });
  return (
    <>
      <Heading title="Chart of a reading">
        <Link to="/statistics" className="text-accent-text underline">
          Statistics
        </Link>
      </Heading>
      <div className="flex flex-wrap items-end gap-4 border-b border-hairline px-5 py-3">
        <label className="flex flex-col gap-1 text-sm text-ink-2">
          Station
          <select className={fieldLook} value={station} onChange={(e) => set({ station: e.target.value, name: "" })}>
            <StationOptions list={list.data ?? []} />
          </select>
        </label>
        <label className="flex flex-col gap-1 text-sm text-ink-2">
          Reading
          <select className={fieldLook} value={name} onChange={(e) => set({ name: e.target.value })}>
            {[...new Set([name, ...names])].filter(Boolean).map((n) => (
              <option key={n}>{n}</option>
            ))}
          </select>
        </label>
        <label className="flex flex-col gap-1 text-sm text-ink-2">
          Each point
          <select className={fieldLook} value={size} onChange={(e) => set({ size: e.target.value })}>
            <option value={1}>one item</option>
            <option value={5}>the mean of 5</option>
            <option value={10}>the mean of 10</option>
          </select>
        </label>
        <label className="flex flex-col gap-1 text-sm text-ink-2">
          Items
          <select className={fieldLook} value={limit} onChange={(e) => set({ limit: e.target.value })}>
            {[100, 300, 1000, 5000].map((n) => (
              <option key={n} value={n}>
                the last {n}
              </option>
            ))}
          </select>
        </label>
        <label className="flex flex-col gap-1 text-sm text-ink-2">
          Shift
          <select className={fieldLook} value={shift} onChange={(e) => set({ shift: e.target.value })}>
            <option value="">any</option>
            {[...new Set([...(shifts.data?.shifts ?? []), shift])].filter(Boolean).map((n) => (
              <option key={n} value={n}>
                {n.replace("/", " ")}
              </option>
            ))}
          </select>
        </label>
      </div>
      {q.isError ? (
        <Trouble error={q.error} retry={() => void q.refetch()} />
      ) : !q.data ? (
        name === "" && last.isFetched ? (
          <Empty title="No reading yet">As soon as the station has judged an item, its readings can be chosen here.</Empty>
        ) : (
          <Waiting what="the readings" />
        )
      ) : q.data.chart.length === 0 ? (
        <Empty title="Nothing to draw yet">The items of this station have no such reading, or fewer than one group of them. Choose another reading, or fewer items for each point.</Empty>
      ) : (
        <Shown c={q.data} size={size} />
      )}
    </>
  );
}

function Shown({ c, size }: { c: ReadingChart; size: number }) {
  const go = useNavigate();
  const odd = c.chart.filter((p) => p.rules.length > 0);
  const last = odd.at(-1);
  const index = (word: string, says: string, v: ReadingChart["cp"]) => (
    <div key={word}>
      <dt className="text-sm text-ink-2">{says}</dt>
      <dd className="m-0 text-xl font-semibold tabular-nums">
        {word} {v ? v.value.toFixed(2) : "–"}
        {v && <span className="block text-sm font-normal text-ink-2">{`${v.range.least.toFixed(2)} to ${v.range.most.toFixed(2)}`}</span>}
      </dd>
    </div>
  );
  return (
    <>
      <section aria-label="Control chart" className="border-b border-hairline px-5 py-4">
        <h2 className="m-0 text-lg font-semibold">{size === 1 ? "Single values" : `Means of ${size}`}</h2>
        <p className="m-0 text-sm text-ink-2">The band is where chance alone would keep them; dashed in color are the limits of the recipe. A point leads to its item.</p>
        <Plot points={c.chart} least={c.least} most={c.most} label="values" pick={(p) => p.item && void go(`/items/${p.item}`)} />
        <p className="m-0 mt-1 text-base">
          {odd.length === 0 ? "Nothing stands out." : `${odd.length} of ${c.chart.length} stand out. The last one: ${last!.rules.map((r) => c.rules[r - 1]).join("; ")}; `}
          {last && (
            <Link to={`/items/${last.item}`} className="text-accent-text underline">
              look at it
            </Link>
          )}
        </p>
      </section>
      {c.spread.length > 0 && (
        <section aria-label="Spread" className="border-b border-hairline px-5 py-4">
          <h2 className="m-0 text-lg font-semibold">Standard deviations within groups</h2>
          <Plot points={c.spread} label="standard deviations" height={110} />
        </section>
      )}
      <section aria-label="Capability" className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] gap-8 px-5 py-4 max-lg:grid-cols-1">
        <div>
          <h2 className="m-0 text-lg font-semibold">Histogram</h2>
          <Bars c={c} />
        </div>
        <div>
          <h2 className="m-0 text-lg font-semibold">Capability</h2>
          {c.least === undefined && c.most === undefined ? (
            <p className="m-0 text-base text-ink-2">This reading has no limits, so nothing can be said of how it lies between them.</p>
          ) : (
            <dl className="m-0 mt-2 grid grid-cols-2 gap-4">
              {index("Cp", "Room between the limits, from item to item", c.cp)}
              {index("Cpk", "and to the nearer one", c.cpk)}
              {index("Pp", "Room between the limits, of all items", c.pp)}
              {index("Ppk", "and to the nearer one", c.ppk)}
            </dl>
          )}
          <p className="m-0 mt-3 text-base text-ink-2">{`${c.n} values, mean ${num(c.mean)}, standard deviation ${num(c.within)} from item to item and ${num(c.overall)} of all.`}</p>
        </div>
      </section>
    </>
  );
}

/** The values whose places are so far apart that what is written there can be read; the first ones count. */
function apart(values: (number | undefined)[], place: (v: number) => number, room: number): number[] {
  const out: number[] = [];
  for (const v of values) if (v !== undefined && out.every((o) => Math.abs(place(o) - place(v)) >= room)) out.push(v);
  return out;
}

type P = { value: number; center: number; least: number; most: number; rules: number[]; item?: string; time?: string };

function Plot({ points, least, most, label, height = 220, pick }: { points: P[]; least?: number; most?: number; label: string; height?: number; pick?: (p: P) => void }) {
  const w = 1120;
  const all = points.flatMap((p) => [p.value, p.least, p.most]).concat(least ?? [], most ?? []);
  const lo = Math.min(...all);
  const hi = Math.max(...all);
  const pad = (hi - lo || 1) * 0.06;
  const x = (i: number) => 60 + (points.length === 1 ? (w - 70) / 2 : (i * (w - 72)) / (points.length - 1));
  const y = (v: number) => 8 + ((hi + pad - v) / (hi - lo + 2 * pad || 1)) * (height - 16);
  const first = points[0]!;
  return (
    <svg viewBox={`0 0 ${w} ${height}`} className="mt-2 w-full" role="img" aria-label={`${points.length} ${label}, center ${num(first.center)}, ${points.filter((p) => p.rules.length > 0).length} stand out`}>
      <rect x={60} width={w - 72} y={y(first.most)} height={Math.max(y(first.least) - y(first.most), 1)} fill="var(--wash)" />
      <line x1={60} x2={w - 12} y1={y(first.center)} y2={y(first.center)} stroke="var(--ink-2)" strokeDasharray="5 4" />
      {[least, most].map((v, i) => v !== undefined && <line key={i} x1={60} x2={w - 12} y1={y(v)} y2={y(v)} stroke="var(--reject)" strokeDasharray="9 5" strokeWidth={1.5} />)}
      <path d={`M${points.map((p, i) => `${x(i).toFixed(1)} ${y(p.value).toFixed(1)}`).join("L")}`} fill="none" stroke="var(--ink)" strokeWidth={1.2} />
      {points.map((p, i) =>
        p.rules.length > 0 ? (
          <rect key={i} x={x(i) - 4} y={y(p.value) - 4} width={8} height={8} fill="var(--reject)">
            <title>{`${num(p.value)}${p.time ? `, ${when(p.time)}` : ""}`}</title>
          </rect>
        ) : points.length <= 400 ? (
          <circle key={i} cx={x(i)} cy={y(p.value)} r={2.2} fill="var(--ink)">
            <title>{`${num(p.value)}${p.time ? `, ${when(p.time)}` : ""}`}</title>
          </circle>
        ) : null,
      )}
      {pick && (
        // One area for all: of many points none is large enough to be hit.
        <rect
          x={60}
          width={w - 72}
          y={0}
          height={height}
          fill="transparent"
          className="cursor-pointer"
          onClick={(e) => {
            const box = e.currentTarget.getBoundingClientRect();
            const p = points[Math.round(((e.clientX - box.left) / box.width) * (points.length - 1))];
            if (p) pick(p);
          }}
        />
      )}
      {apart([first.center, least, most, first.least, first.most], y, 14).map((v, i) => (
        <text key={i} x={54} y={y(v) + 4} textAnchor="end" fontSize={12} fill="var(--ink-2)">
          {num(v)}
        </text>
      ))}
    </svg>
  );
}

function Bars({ c }: { c: ReadingChart }) {
  const w = 540;
  const h = 180;
  const from = Math.min(c.histogram[0]!.from, c.least ?? Infinity);
  const to = Math.max(c.histogram.at(-1)!.to, c.most ?? -Infinity);
  const room = (to - from || 1) * 0.04;
  const x = (v: number) => ((v - from + room) / (to - from + 2 * room || 1)) * w;
  const top = Math.max(...c.histogram.map((b) => b.n));
  return (
    <svg viewBox={`0 0 ${w} ${h}`} className="mt-2 w-full" role="img" aria-label={`Histogram of ${c.n} values from ${num(c.histogram[0]!.from)} to ${num(c.histogram.at(-1)!.to)}`}>
      {c.histogram.map((b) => (
        <rect key={b.from} x={x(b.from)} width={Math.max(x(b.to) - x(b.from) - 1, 2)} y={h - 20 - (b.n / top) * (h - 30)} height={(b.n / top) * (h - 30)} fill="var(--ink-2)">
          <title>{`${b.n} from ${num(b.from)} to ${num(b.to)}`}</title>
        </rect>
      ))}
      <line x1={0} x2={w} y1={h - 20} y2={h - 20} stroke="var(--hairline)" />
      {[c.least, c.most].map((v, i) => v !== undefined && <line key={i} x1={x(v)} x2={x(v)} y1={4} y2={h - 20} stroke="var(--reject)" strokeDasharray="9 5" strokeWidth={1.5} />)}
      {apart([c.least, c.most, c.histogram[0]!.from, c.histogram.at(-1)!.to], x, 60).map((v, i) => (
        <text key={i} x={Math.min(Math.max(x(v), 16), w - 16)} y={h - 5} textAnchor="middle" fontSize={12} fill="var(--ink-2)">
          {num(v)}
        </text>
      ))}
    </svg>
  );
}
