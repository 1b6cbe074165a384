import { useQuery, useQueryClient } from "@tanstack/react-query";
import { ArrowLeft, ArrowRight, Maximize2, Minus, Plus, Trash2 } from "lucide-react";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { board, dropBoard, keepBoard, latest, ServiceError, stations, type Board, type BoardPanel } from "../../api/client";
import { useConnected, useLive } from "../../api/live";
import { useKeys } from "../../ui/keys";
import { Button, Confirm, Empty, fieldLook, Heading, StationOptions, Trouble, Waiting } from "../../ui/parts";
import { Panel, panelKinds } from "./panels";


/** A board as somebody has arranged it: to look at, and to arrange. */
export function BoardPage() {
  const { name = "" } = useParams();
  const q = useQuery({ queryKey: ["board", name], queryFn: () => board(name), staleTime: Infinity });
  const go = useNavigate();
  useKeys({ Escape: () => go("/boards") });
  if (q.isPending) return <Waiting what="the board" />;
  if (q.isError)
    return q.error instanceof ServiceError && q.error.problem.status === 404 ? (
      <>
        <Heading title={name} />
        <Empty title="There is no such board" action={<Link to="/boards" className="text-base font-medium text-accent-text underline">All boards</Link>}>
          It may have been deleted or renamed.
        </Empty>
      </>
    ) : (
      <Trouble error={q.error} retry={() => void q.refetch()} />
    );
  return <Arranged key={q.data.name} b={q.data} />;
}

function Arranged({ b }: { b: Board }) {
  const client = useQueryClient();
  const go = useNavigate();
  const [draft, setDraft] = useState<BoardPanel[] | null>(null);
  const [who, setWho] = useState(() => localStorage.getItem("who") ?? "");
  const [said, setSaid] = useState("");
  const [dropping, setDropping] = useState(false);
  const panels = draft ?? b.panels;
  const change = (i: number, p: Partial<BoardPanel>) => setDraft(panels.map((x, k) => (k === i ? { ...x, ...p } : x)));
  const move = (i: number, by: number) => {
    const next = [...panels];
    const [p] = next.splice(i, 1);
    next.splice(Math.max(0, Math.min(next.length, i + by)), 0, p!);
    setDraft(next);
  };
  const save = async (name: string, since?: string) => {
    localStorage.setItem("who", who.trim());
    try {
      const kept = await keepBoard(name, { panels, who: who.trim(), ...(since ? { since } : {}) });
      client.setQueryData(["board", kept.name], kept);
      void client.invalidateQueries({ queryKey: ["boards"] });
      setDraft(null);
      setSaid("");
      if (name !== b.name) void go(`/boards/${encodeURIComponent(name)}`);
    } catch (x) {
      setSaid(x instanceof Error ? x.message : String(x));
    }
  };
  return (
    <>
      <Heading
        title={b.name}
        action={
          <span className="flex flex-wrap gap-2">
            {draft ? (
              <>
                <Button onClick={() => setDraft(null)}>Give up</Button>
                <Button kind="main" onClick={() => void save(b.name, b.time)}>
                  Save the board
                </Button>
              </>
            ) : (
              <>
                <Button onClick={() => setDraft(b.panels)}>Arrange</Button>
                <Link to={`/boards/${encodeURIComponent(b.name)}/wall`} className="inline-flex min-h-11 items-center gap-2 rounded-md border border-hairline bg-sheet px-4 text-base font-medium text-ink no-underline hover:bg-wash">
                  <Maximize2 size={18} aria-hidden /> Wall
                </Link>
              </>
            )}
          </span>
        }
      >
        <span>{b.who ? `arranged by ${b.who}` : ""}</span>
        <span>The address leads others to it.</span>
      </Heading>
      {said && (
        <p role="alert" className="m-0 border-b border-hairline px-5 py-2 text-base text-reject">
          {said}
        </p>
      )}
      {draft && (
        <div className="flex flex-wrap items-end gap-4 border-b border-hairline bg-wash px-5 py-3">
          <Add add={(p) => setDraft([...panels, p])} />
          <label className="flex flex-col gap-1 text-sm text-ink-2">
            Your name
            <input className={`${fieldLook} w-40`} value={who} onChange={(e) => setWho(e.target.value)} />
          </label>
          <SaveAs name={b.name} save={(n) => void save(n)} />
          <Button onClick={() => setDropping(true)}>
            <Trash2 size={18} aria-hidden /> Delete the board
          </Button>
        </div>
      )}
      <Grid panels={panels} tools={draft ? (i) => <Tools p={panels[i]!} first={i === 0} last={i === panels.length - 1} change={(p) => change(i, p)} move={(by) => move(i, by)} drop={() => setDraft(panels.filter((_, k) => k !== i))} /> : undefined} />
      {panels.length === 0 && !draft && (
        <Empty title="An empty board" action={<Button kind="main" onClick={() => setDraft([])}>Arrange it</Button>}>
          Add pictures, counters, readings and charts, and put them where you look.
        </Empty>
      )}
      <Confirm
        open={dropping}
        onOpenChange={setDropping}
        title={`Delete the board ${b.name}?`}
        text="It goes for everybody who looks at it. Nothing else is touched."
        yes="Delete it"
        onYes={() => void dropBoard(b.name).then(() => client.invalidateQueries({ queryKey: ["boards"] })).then(() => go("/boards")).catch((x: unknown) => setSaid(x instanceof Error ? x.message : String(x)))}
      />
    </>
  );
}

function SaveAs({ name, save }: { name: string; save: (name: string) => void }) {
  const [as, setAs] = useState("");
  const n = as.trim();
  return (
    <span className="flex items-end gap-2">
      <label className="flex flex-col gap-1 text-sm text-ink-2">
        Keep it under another name
        <input className={`${fieldLook} w-48`} value={as} onChange={(e) => setAs(e.target.value)} />
      </label>
      <Button disabled={n === "" || n === name} onClick={() => save(n)}>
        Save as
      </Button>
    </span>
  );
}

/** The panels on twelve columns; narrow screens have fewer. */
function Grid({ panels, tools }: { panels: BoardPanel[]; tools?: (i: number) => React.ReactNode }) {
  return (
    <div className="grid grid-flow-dense auto-rows-[5.2rem] grid-cols-12 gap-px bg-hairline max-lg:grid-cols-6 max-sm:grid-cols-1">
      {panels.map((p, i) => (
        <section
          key={i}
          aria-label={`${panelKinds[p.kind].word} ${p.reading ?? ""} ${p.station ?? ""}`.trim()}
          className={`flex min-w-0 flex-col overflow-hidden bg-sheet ${p.w <= 3 ? "max-lg:[grid-column:span_3]!" : "max-lg:[grid-column:span_6]!"} max-sm:[grid-column:span_1]!`}
          style={{ gridColumn: `span ${p.w}`, gridRow: `span ${p.h}` }}
        >
          {tools?.(i)}
          <div className="min-h-0 flex-1">
            <Panel p={p} />
          </div>
        </section>
      ))}
    </div>
  );
}

function Tools({ p, first, last, change, move, drop }: { p: BoardPanel; first: boolean; last: boolean; change: (p: Partial<BoardPanel>) => void; move: (by: number) => void; drop: () => void }) {
  const tool = "inline-flex min-h-11 min-w-11 items-center justify-center border border-hairline bg-sheet disabled:opacity-40";
  const step = (word: string, key: "w" | "h", by: number) => (
    <button type="button" className={tool} aria-label={`${word} ${by > 0 ? "larger" : "smaller"}`} disabled={p[key] + by < 1 || p[key] + by > 12} onClick={() => change({ [key]: p[key] + by })}>
      {by > 0 ? <Plus size={16} aria-hidden /> : <Minus size={16} aria-hidden />}
    </button>
  );
  return (
    <div className="flex flex-wrap items-center gap-1 border-b border-hairline bg-wash p-1 text-sm">
      <button type="button" className={tool} aria-label="Earlier" disabled={first} onClick={() => move(-1)}>
        <ArrowLeft size={16} aria-hidden />
      </button>
      <button type="button" className={tool} aria-label="Later" disabled={last} onClick={() => move(1)}>
        <ArrowRight size={16} aria-hidden />
      </button>
      <span className="flex items-center">
        {step("width", "w", -1)}
        <span className="px-1">{`width ${p.w}`}</span>
        {step("width", "w", 1)}
      </span>
      <span className="flex items-center">
        {step("height", "h", -1)}
        <span className="px-1">{`height ${p.h}`}</span>
        {step("height", "h", 1)}
      </span>
      {p.kind === "strip" && (
        <select className={fieldLook} aria-label="Show" value={p.show ?? ""} onChange={(e) => change({ show: e.target.value as BoardPanel["show"] })}>
          <option value="">did not pass</option>
          <option value="passes">passed</option>
        </select>
      )}
      {p.kind === "header" && <input className={`${fieldLook} w-56`} aria-label="Text" value={p.text ?? ""} placeholder="text" onChange={(e) => change({ text: e.target.value })} />}
      <button type="button" className={`${tool} ml-auto`} aria-label="Take it away" onClick={drop}>
        <Trash2 size={16} aria-hidden />
      </button>
    </div>
  );
}

function Add({ add }: { add: (p: BoardPanel) => void }) {
  const [kind, setKind] = useState<BoardPanel["kind"]>("picture");
  const list = useQuery({ queryKey: ["stations"], queryFn: stations });
  const [station, setStation] = useState("");
  const k = panelKinds[kind];
  const of = station || (k.station === "must" ? (list.data?.[0]?.id ?? "") : "");
  const last = useQuery({ queryKey: ["latest", of], queryFn: () => latest(of), enabled: kind === "reading" && of !== "" });
  const names = (last.data?.findings ?? []).flatMap((f) => Object.keys(f.readings).map((r) => `${f.check}.${r}`));
  const [reading, setReading] = useState("");
  const name = names.includes(reading) ? reading : (names[0] ?? "");
  return (
    <span className="flex flex-wrap items-end gap-2">
      <label className="flex flex-col gap-1 text-sm text-ink-2">
        Add
        <select className={fieldLook} value={kind} onChange={(e) => setKind(e.target.value as BoardPanel["kind"])}>
          {Object.entries(panelKinds).map(([n, x]) => (
            <option key={n} value={n}>
              {x.word}
            </option>
          ))}
        </select>
      </label>
      {k.station !== "no" && (
        <label className="flex flex-col gap-1 text-sm text-ink-2">
          of
          <select className={fieldLook} value={of} onChange={(e) => setStation(e.target.value)}>
            {k.station === "may" && <option value="">all stations</option>}
            <StationOptions list={list.data ?? []} />
          </select>
        </label>
      )}
      {kind === "reading" && (
        <label className="flex flex-col gap-1 text-sm text-ink-2">
          Reading
          <select className={fieldLook} value={name} onChange={(e) => setReading(e.target.value)}>
            {names.map((n) => (
              <option key={n}>{n}</option>
            ))}
          </select>
        </label>
      )}
      <Button disabled={kind === "reading" && name === ""} onClick={() => add({ kind, w: k.w, h: k.h, ...(k.station !== "no" && of ? { station: of } : {}), ...(kind === "reading" ? { reading: name } : {}) })}>
        <Plus size={18} aria-hidden /> Add it
      </Button>
    </span>
  );
}

/** A board on a screen of its own, without anything round it. */
export function WallPage() {
  useLive();
  const { name = "" } = useParams();
  const q = useQuery({ queryKey: ["board", name], queryFn: () => board(name), refetchInterval: 30_000 });
  const go = useNavigate();
  const connected = useConnected();
  useKeys({ Escape: () => go(`/boards/${encodeURIComponent(name)}`) });
  return (
    <main className="min-h-dvh bg-paper text-ink" aria-label={`Board ${name}`}>
      <h1 className="sr-only">{name}</h1>
      {q.data ? <Grid panels={q.data.panels} /> : <p className="p-8 text-2xl">{q.isError ? q.error.message : "One moment"}</p>}
      {!connected && (
        <p role="alert" className="fixed inset-x-0 bottom-0 m-0 bg-ink px-6 py-3 text-xl text-paper">
          The service does not answer. What you see is from before.
        </p>
      )}
    </main>
  );
}
