import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { ServiceError, stations, stopStation, type Station } from "../api/client";
import { camera as fetchCamera, findCamera, look as takeLook, lookURL, setCamera, type CameraSettings, type Look } from "../api/workbench";
import { lineName } from "../lib/format";
import type { Shape } from "../lib/recipe";
import { paceOf } from "../lib/pace";
import { useKeys } from "../ui/keys";
import { statusWord, StatusMark } from "../ui/marks";
import { Button, Confirm, Heading, Trouble, Waiting } from "../ui/parts";
import { Canvas } from "./recipe/canvas";
import { Num } from "./recipe/form";
import { ruler, Scale } from "./scale";

const knobs: { name: keyof CameraSettings; word: string; unit: string; log?: boolean; says: string }[] = [
  { name: "exposure_ms", word: "Exposure", unit: "ms", log: true, says: "Longer: brighter, smears what moves" },
  { name: "gain_db", word: "Gain", unit: "dB", says: "Brighter, and noisier: light is better" },
  { name: "light", word: "Light", unit: "%", says: "Level of the station's light" },
  { name: "focus", word: "Focus", unit: "", says: "Sharpness peaks at the best place" },
];

const none: Shape[] = [];

/** The camera of a station: live picture with its figures, exposure, gain, light and focus. */
export function CameraPage() {
  const { id = "" } = useParams();
  const client = useQueryClient();
  const list = useQuery({ queryKey: ["stations"], queryFn: stations });
  // Folders and addresses have nothing to set; they are looked at and measured all the same.
  const cam = useQuery({ queryKey: ["camera", id], queryFn: () => fetchCamera(id).catch((x: unknown) => (x instanceof ServiceError && x.problem.status === 404 ? null : Promise.reject(x as Error))) });
  const [line, setLine] = useState<Shape | null>(null);
  const go = useNavigate();
  const [seen, setSeen] = useState<Look | null>(null);
  const [best, setBest] = useState(0);
  const [trouble, setTrouble] = useState("");
  const [busy, setBusy] = useState("");
  const [lost, setLost] = useState(true);
  const [stopping, setStopping] = useState(false);
  const s = list.data?.find((x) => x.id === id);
  const idle = s !== undefined && s.status !== "running";

  // One look after the other, so that a slow camera is never asked twice.
  const live = useRef(true);
  useEffect(() => {
    live.current = true;
    let next: ReturnType<typeof setTimeout>;
    const step = async () => {
      try {
        const l = await takeLook(id);
        if (!live.current) return;
        setSeen(l);
        setBest((b) => Math.max(b, l.sharpness));
        setTrouble((t) => (t.startsWith("No picture") ? "" : t));
      } catch (x) {
        if (live.current) setTrouble(`No picture: ${x instanceof Error ? x.message : String(x)}`);
      }
      if (live.current) next = setTimeout(() => void step(), 300);
    };
    void step();
    return () => {
      live.current = false;
      clearTimeout(next);
    };
  }, [id]);

  const act = useCallback(
    async (what: string, f: () => Promise<Awaited<ReturnType<typeof fetchCamera>>>) => {
      setBusy(what);
      setTrouble("");
      try {
        client.setQueryData(["camera", id], await f());
      } catch (x) {
        setTrouble(x instanceof Error ? x.message : String(x));
        void client.invalidateQueries({ queryKey: ["camera", id] });
      } finally {
        setBusy("");
      }
    },
    [client, id],
  );
  const find = (what: "exposure" | "focus") => {
    setBest(0);
    return act(what, () => findCamera(id, what));
  };
  useKeys({ Escape: () => go(`/stations/${id}`), e: () => cam.data && idle && !busy && void find("exposure"), f: () => cam.data && idle && !busy && void find("focus") });
  if (list.isPending || cam.isPending) return <Waiting what="the camera" />;
  if (cam.isError) return <Trouble error={cam.error} retry={() => void cam.refetch()} />;
  return (
    <>
      <Heading title={s ? `${lineName(s.line)} · ${s.name}` : id} action={<Link to={`/stations/${id}`} className="inline-flex min-h-11 items-center rounded-md border border-hairline bg-sheet px-4 text-base font-medium text-ink no-underline hover:bg-wash">To the station</Link>}>
        <span className="text-lg font-semibold text-ink">Picture</span>
        {s && (
          <span className="inline-flex items-center gap-2">
            <StatusMark status={s.status} />
            {statusWord(s.status)}
          </span>
        )}
      </Heading>
      {!idle && cam.data && (
        <div className="flex flex-wrap items-center gap-3 border-b border-hairline bg-wash px-5 py-2">
          <p className="m-0 flex-1 text-base">The station is running, so its camera is only looked at. Stop it to set exposure, gain, light and focus.</p>
          <Button onClick={() => setStopping(true)}>Stop the station</Button>
        </div>
      )}
      {trouble && (
        <p role="alert" className="m-0 border-b border-hairline px-5 py-2 text-base text-reject">
          {trouble}
        </p>
      )}
      <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)_24rem] max-lg:grid-cols-1 max-lg:grid-rows-[26rem_auto]">
        <section aria-label="Live picture" className="flex min-h-0 min-w-0 flex-col border-r border-hairline">
          <Canvas url={seen ? lookURL(id, seen.id, lost) : null} label="Live picture" shapes={line ? [line] : none} chosen={0} onChoose={() => {}} onChange={(of, numbers) => setLine({ ...of, numbers })} editable={line !== null} />
        </section>
        <aside aria-label="Camera" className="min-h-0 overflow-y-auto px-5 py-3">
          {cam.data === null && <p className="m-0 text-base">The pictures of this station come from a source without settings. Set exposure, light and focus where it is.</p>}
          {cam.data && <><div className="grid grid-cols-2 gap-2">
            <Button kind="main" shortcut="e" hint="Find the best exposure" disabled={!idle || busy !== ""} onClick={() => void find("exposure")}>
              {busy === "exposure" ? "Looking…" : "Find exposure"}
            </Button>
            <Button kind="main" shortcut="f" hint="Find the best focus" disabled={!idle || busy !== ""} onClick={() => void find("focus")}>
              {busy === "focus" ? "Looking…" : "Find focus"}
            </Button>
          </div>
          {knobs.map((k) => (
            <Knob key={k.name} knob={k} value={cam.data!.settings[k.name]} least={cam.data!.least[k.name]} most={cam.data!.most[k.name]} disabled={!idle || busy !== ""} set={(v) => void act("", () => setCamera(id, { ...cam.data!.settings, [k.name]: v }))} />
          ))}</>}
          {seen && <Figures l={seen} best={best} lost={lost} setLost={setLost} />}
          {s && <Scale s={s} idle={idle} ready={seen !== null} line={line} setLine={(on) => setLine(on ? ruler(seen?.width ?? 1280, seen?.height ?? 960) : null)} />}
          {s && <Watch s={s} />}
          {s && <PaceForm took={s.last?.took_ms} />}
          <p className="mt-4 border-t border-hairline pt-3 text-base">
            <Link to={`/recipes?begin=${encodeURIComponent(id)}`} className="text-accent-text underline">
              Begin a recipe with this picture
            </Link>
          </p>
        </aside>
      </div>
      <Confirm
        open={stopping}
        onOpenChange={setStopping}
        title={`Stop ${s?.name ?? id}?`}
        text="The belt stops while its camera is set. What is on it stays there, and is still ejected if it did not pass."
        yes="Stop"
        onYes={() => void stopStation(id).then(() => client.invalidateQueries({ queryKey: ["stations"] }))}
      />
    </>
  );
}

function Knob({ knob, value, least, most, set, disabled }: { knob: (typeof knobs)[number]; value: number; least: number; most: number; set: (v: number) => void; disabled: boolean }) {
  const [moving, setMoving] = useState<number | null>(null);
  const to = (v: number) => (knob.log ? Math.log(v / least) / Math.log(most / least) : (v - least) / (most - least));
  const of = (p: number) => Number((knob.log ? least * (most / least) ** p : least + p * (most - least)).toPrecision(3));
  // It takes effect a moment after the last move, so that a drag does not become a hundred settings.
  useEffect(() => {
    if (moving === null || moving === value) return;
    const t = setTimeout(() => {
      set(moving);
      setMoving(null);
    }, 150);
    return () => clearTimeout(t);
  });
  return (
    <div className="mt-3">
      <div className="flex items-baseline justify-between gap-3">
        <label htmlFor={`knob-${knob.name}`} className="text-base font-medium">
          {knob.word}
        </label>
        <span className="text-sm text-ink-2">{knob.says}</span>
      </div>
      <div className="grid grid-cols-[1fr_5.5rem_1.6rem] items-center gap-2">
        <input id={`knob-${knob.name}`} type="range" min={0} max={1} step={0.002} className="h-8 w-full accent-(--accent)" disabled={disabled} value={to(moving ?? value)} onChange={(e) => setMoving(of(e.target.valueAsNumber))} />
        <Num label={`${knob.word}, number`} value={moving ?? value} set={(v) => v !== undefined && setMoving(v)} />
        <span className="text-sm text-ink-2">{knob.unit}</span>
      </div>
    </div>
  );
}

/** The histogram, and what to read from it. */
function Figures({ l, best, lost, setLost }: { l: Look; best: number; lost: boolean; setLost: (v: boolean) => void }) {
  const top = Math.max(...l.histogram.map((n) => Math.sqrt(n)));
  const bars = l.histogram.map((n, v) => `M${v} 60V${60 - (Math.sqrt(n) / top) * 58}`).join("");
  const pct = (v: number) => `${(100 * v).toFixed(v > 0 && v < 0.01 ? 2 : 1)} %`;
  const rows: [string, string, string, boolean][] = [
    ["Crushed", pct(l.crushed), "dark without detail; blue in the picture", l.crushed > 0.05],
    ["Burnt", pct(l.burnt), "light without detail; red in the picture", l.burnt > 0.005],
    ["Sharpness", l.sharpness.toFixed(1), best > 0 ? `best so far ${best.toFixed(1)}` : "", best > 0 && l.sharpness < 0.8 * best],
    ["Evenness", pct(l.evenness), "darkest part of the margin against the brightest", l.evenness < 0.7],
  ];
  return (
    <section aria-label="Figures of the picture" className="mt-4 border-t border-hairline pt-3">
      <svg viewBox="-2 0 260 64" className="w-full" role="img" aria-label={`Histogram: mean brightness ${l.mean}`}>
        <rect x={-1} y={0} width={3} height={60} fill="var(--rework)" opacity={0.25} />
        <rect x={253} y={0} width={3} height={60} fill="var(--reject)" opacity={0.25} />
        <path d={bars} stroke="var(--ink)" strokeWidth={1} />
        <line x1={-2} x2={258} y1={60.5} y2={60.5} stroke="var(--hairline)" />
      </svg>
      <dl className="m-0 mt-2 grid grid-cols-[5.5rem_5rem_1fr] gap-y-1 text-base">
        {rows.map(([word, v, says, odd]) => (
          <div key={word} className="contents">
            <dt>{word}</dt>
            <dd className={`m-0 pr-3 text-right font-semibold ${odd ? "text-reject" : ""}`}>{v}</dd>
            <dd className="m-0 text-sm text-ink-2">{says}</dd>
          </div>
        ))}
      </dl>
      <label className="mt-2 flex min-h-10 items-center gap-2 text-base">
        <input type="checkbox" className="h-5 w-5" checked={lost} onChange={(e) => setLost(e.target.checked)} />
        Mark crushed and burnt pixels
      </label>
    </section>
  );
}

/** How the pictures of production look beside the reference: drift shows here long before checks reject for it. */
function Watch({ s }: { s: Station }) {
  if (s.watched.length === 0) return null;
  return (
    <section aria-label="Beside the reference" className="mt-4 border-t border-hairline pt-3">
      <h2 className="m-0 text-base font-semibold">Last pictures beside the reference</h2>
      <ul className="m-0 mt-1 list-none p-0">
        {s.watched.map((w) => {
          const room = w.allowed > 0 ? w.allowed : 100;
          const at = 50 + 40 * Math.max(-1.2, Math.min(1.2, w.percent / room));
          return (
            <li key={w.name} className="grid grid-cols-[6rem_1fr_5rem] items-center gap-3 py-1 text-base">
              <span className="first-letter:uppercase">{w.name}</span>
              <svg viewBox="0 0 100 12" preserveAspectRatio="none" className="h-3 w-full" role="img" aria-label={w.allowed > 0 ? `allowed are ${w.allowed} % to either side` : "not watched"}>
                {w.allowed > 0 && <rect x={10} y={3} width={80} height={6} fill="var(--wash)" />}
                <line x1={50} x2={50} y1={1} y2={11} stroke="var(--ink-2)" vectorEffect="non-scaling-stroke" />
                <rect x={at - 0.9} y={0} width={1.8} height={12} fill={w.off ? "var(--reject)" : "var(--ink)"} />
              </svg>
              <span className={`text-right tabular-nums ${w.off ? "font-semibold text-reject" : ""}`}>
                {w.percent > 0 ? "+" : ""}
                {w.percent.toFixed(1)} %
              </span>
            </li>
          );
        })}
      </ul>
      <p className="m-0 mt-1 text-sm text-ink-2">The gray band is what is allowed; beyond it an alarm is raised.</p>
    </section>
  );
}

/** What the time of one inspection means for the belt. */
function PaceForm({ took }: { took?: number }) {
  const [fieldMM, setField] = useState<number | undefined>(320);
  const [pitch, setPitch] = useState<number | undefined>(300);
  const p = took ? paceOf(took, fieldMM ?? NaN, pitch ?? NaN) : null;
  return (
    <section aria-label="Pace" className="mt-4 border-t border-hairline pt-3">
      <div className="grid grid-cols-2 gap-3">
        <label className="flex flex-col gap-1 text-sm text-ink-2">
          Field width along the belt, mm
          <Num value={fieldMM} set={setField} />
        </label>
        <label className="flex flex-col gap-1 text-sm text-ink-2">
          From item to item, mm
          <Num value={pitch} set={setPitch} />
        </label>
      </div>
      {!took ? (
        <p className="mb-0 mt-2 text-base text-ink-2">The pace is told as soon as an item was judged.</p>
      ) : !p ? (
        <p className="mb-0 mt-2 text-base text-ink-2">Give both distances.</p>
      ) : (
        <p className="mb-0 mt-2 text-base">
          One inspection takes <b>{took.toFixed(1)} ms</b>: {p.perMinute.toLocaleString("en")} items a minute at most, a belt of {p.belt.toFixed(1)} m/s.
          {p.crowded && <span className="block text-reject">Items follow each other closer than the field is wide: two are in one picture.</span>}
        </p>
      )}
    </section>
  );
}

