import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { overview, stations } from "../../api/client";
import { moveLimits, rerun, whatIf, type Draft, type Key, type LimitMove, type ReadingLimits, type WhatIf } from "../../api/workbench";
import { num } from "../../lib/format";
import { Button, Empty, fieldLook, StationOptions, Trouble, Waiting } from "../../ui/parts";
import { Strip, Tile } from "../../ui/tile";
import { myName, type Editing } from "./useDraft";

const spans: [string, string][] = [
  ["8", "the last shift"],
  ["24", "the last 24 hours"],
  ["168", "the last 7 days"],
  ["0", "all that is kept"],
  ["shifts", "shifts to choose"],
];

const nameOf = (l: Pick<ReadingLimits, "check" | "reading">) => `${l.check}.${l.reading}`;
type Bound = LimitMove["bound"];
const bounds: Bound[] = ["least", "most", "nominal", "tolerance"];

/** Moves limits and tells at once which items of the past would have gone elsewhere. */
export function WhatIfTab({ k, e, toChecks }: { k: Key; e: Editing; toChecks: () => void }) {
  const [hours, setHours] = useState("24");
  const [station, setStation] = useState("");
  const [chosen, setChosen] = useState("");
  const [moves, setMoves] = useState<Record<string, LimitMove>>({});
  const [from] = useState(() => Date.now());
  const list = useQuery({ queryKey: ["stations"], queryFn: stations });
  const [shift, setShift] = useState("");
  const [until, setUntil] = useState("");
  const week = new Date(Math.floor(from / 60_000) * 60_000 - 7 * 86_400_000).toISOString();
  const shifts = useQuery({ queryKey: ["shifts-of", k.product, week], queryFn: () => overview({ product: k.product, from: week }) }).data?.shifts ?? [];
  const mine = (list.data ?? []).filter((s) => s.product === k.product && s.role === k.role);
  const start = useQuery({ queryKey: ["what-if-limits", k, e.draft.tag], queryFn: () => whatIf(k, { list: 0 }), enabled: !e.dirty });
  const limits = start.data?.limits ?? [];
  const at = limits.find((l) => nameOf(l) === chosen) ?? limits[0];
  const question = {
    limits: Object.values(moves),
    list: 60,
    ...(station ? { station } : {}),
    ...(hours === "shifts" ? (shift ? { shift, until_shift: until || shift } : {}) : hours === "0" ? {} : { from: new Date(Math.floor(from / 60_000) * 60_000 - Number(hours) * 3_600_000).toISOString() }),
    ...(at ? { check: at.check, reading: at.reading } : {}),
  };
  const q = useQuery({ queryKey: ["what-if", k, e.draft.tag, question], queryFn: ({ signal }) => whatIf(k, question, signal), placeholderData: keepPreviousData, enabled: !e.dirty && start.isSuccess });
  if (e.dirty)
    return (
      <Empty title="The draft is not saved" action={<Button kind="main" onClick={() => void e.save()}>Save the draft</Button>}>
        What if starts from the draft as it is saved. Save it, or undo what you changed.
      </Empty>
    );
  if (start.isError) return <Trouble error={start.error} retry={() => void start.refetch()} />;
  if (!start.data) return <Waiting what="the limits" />;
  if (!at)
    return (
      <Empty title="No reading has limits" action={<Button onClick={toChecks}>Go to the checks</Button>}>
        Give a reading limits first; then you can see here what other ones would do.
      </Empty>
    );
  const move = (l: ReadingLimits, bound: Bound, v: number) => {
    const name = `${nameOf(l)}.${bound}`;
    const next = { ...moves };
    if (l[bound] === v) delete next[name];
    else next[name] = { check: l.check, reading: l.reading, bound, value: v };
    setMoves(next);
  };
  const valueOf = (l: ReadingLimits, bound: Bound) => moves[`${nameOf(l)}.${bound}`]?.value ?? l[bound];
  return (
    <div className="min-h-0 flex-1 overflow-y-auto">
      <div className="flex flex-wrap items-end gap-4 border-b border-hairline px-5 py-3">
        <label className="flex flex-col gap-1 text-sm text-ink-2">
          Items of
          <select className={fieldLook} value={hours} onChange={(ev) => setHours(ev.target.value)}>
            {spans.map(([h, w]) => (
              <option key={h} value={h}>
                {w}
              </option>
            ))}
          </select>
        </label>
        {hours === "shifts" && (
          <>
            <label className="flex flex-col gap-1 text-sm text-ink-2">
              From shift
              <select className={fieldLook} value={shift} onChange={(ev) => setShift(ev.target.value)}>
                {!shift && <option value="">choose…</option>}
                {shifts.map((n) => (
                  <option key={n} value={n}>
                    {n.replace("/", " ")}
                  </option>
                ))}
              </select>
            </label>
            <label className="flex flex-col gap-1 text-sm text-ink-2">
              to shift
              <select className={fieldLook} value={until || shift} onChange={(ev) => setUntil(ev.target.value)}>
                {shifts.map((n) => (
                  <option key={n} value={n}>
                    {n.replace("/", " ")}
                  </option>
                ))}
              </select>
            </label>
          </>
        )}
        {mine.length > 1 && (
          <label className="flex flex-col gap-1 text-sm text-ink-2">
            Station
            <select className={fieldLook} value={station} onChange={(ev) => setStation(ev.target.value)}>
              <option value="">all</option>
              <StationOptions list={mine} />
            </select>
          </label>
        )}
        <label className="flex flex-col gap-1 text-sm text-ink-2">
          Limit of
          <select className={fieldLook} value={nameOf(at)} onChange={(ev) => setChosen(ev.target.value)}>
            {limits.map((l) => (
              <option key={nameOf(l)} value={nameOf(l)}>
                {nameOf(l)}
                {bounds.some((b) => moves[`${nameOf(l)}.${b}`]) ? " (moved)" : ""}
              </option>
            ))}
          </select>
        </label>
        {bounds
          .filter((b) => at[b] !== undefined)
          .map((b) => (
            <label key={b} className="flex flex-col gap-1 text-sm text-ink-2">
              {`${b}${at.unit ? `, ${at.unit}` : ""} (is ${num(at[b]!)})`}
              <input
                type="number"
                step={at.whole ? 1 : "any"}
                className={`${fieldLook} w-36`}
                value={valueOf(at, b)}
                onChange={(ev) => ev.target.value !== "" && Number.isFinite(ev.target.valueAsNumber) && move(at, b, ev.target.valueAsNumber)}
              />
            </label>
          ))}
        {Object.keys(moves).length > 0 && <Button onClick={() => setMoves({})}>Put back</Button>}
      </div>
      {q.isError ? <Trouble error={q.error} retry={() => void q.refetch()} /> : !q.data ? <Waiting what="the items" /> : <Told k={k} a={q.data} at={at} valueOf={valueOf} move={move} moves={moves} question={question} toChecks={toChecks} made={e.take} />}
    </div>
  );
}

interface ToldProps {
  k: Key;
  a: WhatIf;
  at: ReadingLimits;
  valueOf: (l: ReadingLimits, b: Bound) => number | undefined;
  move: (l: ReadingLimits, b: Bound, v: number) => void;
  moves: Record<string, LimitMove>;
  question: Parameters<typeof whatIf>[1];
  toChecks: () => void;
  made: (d: Draft) => void;
}

function Told({ k, a, at, valueOf, move, moves, question, toChecks, made }: ToldProps) {
  const [pictures, setPictures] = useState<{ key: string; a: WhatIf } | null>(null);
  const [going, setGoing] = useState("");
  const [said, setSaid] = useState("");
  const key = JSON.stringify(question);
  const shown = pictures?.key === key ? pictures.a : a;
  const changed = shown.changes.reduce((n, c) => n + c.n, 0);
  const moved = Object.values(moves);
  const judge = async () => {
    setSaid("");
    setGoing("Judging the kept pictures…");
    try {
      const got = await rerun(k, question, (done, of) => setGoing(`Judging the kept pictures, ${done} of ${of}…`));
      setPictures({ key, a: got });
    } catch (x) {
      setSaid(x instanceof Error ? x.message : String(x));
    } finally {
      setGoing("");
    }
  };
  const make = async () => {
    try {
      made(await moveLimits(k, moved, myName()));
      toChecks();
    } catch (x) {
      setSaid(x instanceof Error ? x.message : String(x));
    }
  };
  return (
    <>
      <section aria-label="What would change" className="border-b border-hairline px-5 py-3">
        <p role="status" className="m-0 text-lg">
          {shown.items === 0 ? (
            "No item of this time can be judged anew."
          ) : (
            <>
              <span className="text-2xl font-semibold">{changed}</span>
              {` of ${shown.items} ${pictures?.key === key ? "pictures" : "items"} would have gone elsewhere`}
              {changed > 0 ? "; " : "."}
              {shown.changes.map((c, i) => (
                <span key={c.from + c.to}>
                  {i > 0 && ", "}
                  <b className={c.to === "pass" ? "text-pass" : "text-reject"}>{c.n}</b>
                  {` from ${c.from} to ${c.to}`}
                  {c.good + c.bad > 0 && ` (of them marked: ${c.good} good, ${c.bad} bad)`}
                </span>
              ))}
            </>
          )}
        </p>
        <p className="m-0 text-sm text-ink-2">
          {`Passed: ${shown.before["pass"] ?? 0} as it was, ${shown.after["pass"] ?? 0} with these limits. ${pictures?.key === key ? "Judged from the pictures." : "Judged anew from the stored readings"}`}
          {pictures?.key !== key && ` in ${Math.round(a.took_ms)} ms.`}
          {shown.faults > 0 && ` ${shown.faults} with a fault stay so.`}
        </p>
        {a.unclear > 0 && pictures?.key !== key && (
          <p className="m-0 mt-2 text-base">{`${a.unclear} more were judged by a revision that looks at pictures otherwise than the draft; of them only the picture can tell.`}</p>
        )}
        <div className="mt-3 flex flex-wrap items-center gap-3">
          <Button kind="main" disabled={moved.length === 0} onClick={() => void make()}>
            Make it the draft
          </Button>
          <Button disabled={going !== ""} onClick={() => void judge()}>
            Judge the kept pictures
          </Button>
          <span role="status" className="text-base text-ink-2">
            {going}
          </span>
          {said && (
            <span role="alert" className="text-base text-reject">
              {said}
            </span>
          )}
        </div>
      </section>
      <section aria-label="Spread" className="border-b border-hairline px-5 py-3">
        <h2 className="m-0 text-lg font-semibold">{`${at.reading} of ${at.check}`}</h2>
        <p className="m-0 text-sm text-ink-2">How many items read what: passed above the line, the others below. Drag a limit, or type it above.</p>
        <Spread a={a} at={at} valueOf={valueOf} move={move} />
      </section>
      <section aria-label="Changed items" className="px-5 py-3">
        <h2 className="m-0 text-lg font-semibold">{changed === 0 ? "Nothing changes" : `The newest ${Math.min(changed, shown.list.length)} of them`}</h2>
        {changed === 0 ? (
          <p className="m-0 text-base text-ink-2">With these limits all items go where they went. Move one to see what it would do.</p>
        ) : (
          <>
            <p className="mb-3 mt-0 text-sm text-ink-2">Say of each whether the verdict of that time was right; it counts above.</p>
            <Strip label="Items that would have gone elsewhere">
              {shown.list.map((i) => (
                <Tile key={i.id} item={i}>
                  <b className="text-sm">{`${i.route} → ${i.to}`}</b>
                </Tile>
              ))}
            </Strip>
          </>
        )}
        <p className="mb-0 mt-4 text-sm text-ink-2">
          Everything else of these items is under{" "}
          <Link to={`/items?product=${encodeURIComponent(k.product)}`} className="text-accent-text underline">
            Items
          </Link>
          .
        </p>
      </section>
    </>
  );
}

/** The spread of a reading with its limits, which can be dragged. */
function Spread({ a, at, valueOf, move }: Pick<ToldProps, "a" | "at" | "valueOf" | "move">) {
  const w = 1100;
  const h = 182;
  const mid = 92;
  if (a.spread.length === 0) return <p className="text-base text-ink-2">No item of this time has this reading.</p>;
  const nominal = valueOf(at, "nominal");
  const tolerance = valueOf(at, "tolerance");
  const ends: [Bound, number][] = nominal !== undefined && tolerance !== undefined ? [["tolerance", nominal + tolerance], ["tolerance", nominal - tolerance]] : (["least", "most"] as const).flatMap((b) => (valueOf(at, b) === undefined ? [] : [[b, valueOf(at, b)!] as [Bound, number]]));
  const lo = Math.min(a.spread[0]!.from, ...ends.map(([, v]) => v));
  const hi = Math.max(a.spread.at(-1)!.to, ...ends.map(([, v]) => v));
  const pad = (hi - lo || 1) * 0.04;
  const x = (v: number) => ((v - lo + pad) / (hi - lo + 2 * pad)) * w;
  const back = (px: number) => lo - pad + (px / w) * (hi - lo + 2 * pad);
  const most = Math.max(...a.spread.map((b) => Math.max(b.passed, b.rejected)), 1);
  // Few rejects would not be seen beside many passes: heights go by the root.
  const tall = (n: number) => (n === 0 ? 0 : Math.max(2, Math.sqrt(n / most) * 70));
  const drag = (bound: Bound) => (ev: React.PointerEvent<SVGElement>) => {
    if (ev.buttons === 0) return;
    const box = ev.currentTarget.ownerSVGElement!.getBoundingClientRect();
    let v = back(((ev.clientX - box.left) / box.width) * w);
    if (bound === "tolerance") v = Math.abs(v - nominal!);
    const step = (hi - lo || 1) / 400;
    const digits = at.whole ? 0 : Math.max(0, Math.min(6, Math.ceil(-Math.log10(step))));
    move(at, bound, Number(v.toFixed(digits)));
  };
  return (
    <svg viewBox={`0 0 ${w} ${h}`} className="mt-2 w-full touch-none select-none" role="img" aria-label={`Spread of ${at.reading} from ${num(a.spread[0]!.from)} to ${num(a.spread.at(-1)!.to)}`}>
      {a.spread.map((b) => (
        <g key={b.from}>
          <rect x={x(b.from)} width={Math.max(x(b.to) - x(b.from) - 1, 1.5)} y={mid - tall(b.passed)} height={tall(b.passed)} fill="var(--pass)">
            <title>{`${b.passed} passed from ${num(b.from)} to ${num(b.to)}`}</title>
          </rect>
          <rect x={x(b.from)} width={Math.max(x(b.to) - x(b.from) - 1, 1.5)} y={mid + 20} height={tall(b.rejected) * 0.6} fill="var(--reject)">
            <title>{`${b.rejected} did not pass from ${num(b.from)} to ${num(b.to)}`}</title>
          </rect>
        </g>
      ))}
      <line x1={0} x2={w} y1={mid} y2={mid} stroke="var(--ink-2)" />
      {[lo, (lo + hi) / 2, hi].map((v) => (
        <text key={v} x={Math.min(Math.max(x(v), 14), w - 14)} y={mid + 14} textAnchor="middle" fontSize={12} fill="var(--ink-2)">
          {num(v)}
        </text>
      ))}
      {ends.map(([b, v], i) => (
        <g key={i} className="cursor-ew-resize" onPointerDown={(ev) => ev.currentTarget.setPointerCapture(ev.pointerId)} onPointerMove={drag(b)}>
          <rect x={x(v) - 14} width={28} y={0} height={h} fill="transparent" />
          <line x1={x(v)} x2={x(v)} y1={14} y2={h - 18} stroke="var(--ink)" strokeWidth={2} strokeDasharray="9 5" />
          <rect x={x(v) - 6} y={4} width={12} height={12} fill="var(--accent)" stroke="var(--ink)" />
          <text x={Math.min(Math.max(x(v), 30), w - 30)} y={h - 4} textAnchor="middle" fontSize={13} fill="var(--ink)">
            {`${b} ${num(v)}`}
          </text>
        </g>
      ))}
    </svg>
  );
}
