import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Wrench } from "lucide-react";
import { Link, useNavigate, useParams } from "react-router";
import { lines, setSignal, setupLine, signals, type Line, type Signal, type SignalBoard } from "../api/client";
import { clock, lineName, since } from "../lib/format";
import { useKeys } from "../ui/keys";
import { StatusMark, statusWord } from "../ui/marks";
import { Button, Heading, NotThere, Trouble, Waiting } from "../ui/parts";

/** What each signal that every line has is for. */
const meaning: Record<string, string> = {
  run: "the belt may move",
  ready: "a result is there to be read",
  busy: "a picture is being judged",
  alarm: "somebody must look",
  heartbeat: "changes as long as the line works",
  stop: "stops the line",
  fault: "another machine is in trouble",
};

export const meaningOf = (s: Pick<Signal, "name" | "output">): string =>
  meaning[s.name] ?? (s.output ? `ejector for ${s.name}` : s.name.startsWith("confirm_") ? `sees what left for ${s.name.slice("confirm_".length)}` : "photo-eye or other input");

/** The inputs and outputs of a line, live; in set-up they are set by hand. */
export function SignalsPage() {
  const { id } = useParams();
  const list = useQuery({ queryKey: ["lines"], queryFn: lines });
  const go = useNavigate();
  useKeys({ Escape: () => go(id ? `/lines/${id}` : "/floor") });
  if (list.isPending) return <Waiting what="the lines" />;
  if (list.isError) return <Trouble error={list.error} retry={() => void list.refetch()} />;
  const l = id ? list.data.find((x) => x.id === id) : list.data[0];
  if (!l) return <NotThere title="Signals" what={id ? `line ${id}` : "line yet"} />;
  return <Board key={l.id} l={l} all={list.data} />;
}

function Board({ l, all }: { l: Line; all: Line[] }) {
  const client = useQueryClient();
  const go = useNavigate();
  const key = ["signals", l.id];
  const board = useQuery({ queryKey: key, queryFn: () => signals(l.id), refetchInterval: 300 });
  const fresh = (b: SignalBoard) => client.setQueryData(key, b);
  const setup = useMutation({ mutationFn: (on: boolean) => setupLine(l.id, on), onSuccess: fresh });
  const set = useMutation({ mutationFn: ({ s, on }: { s: Signal; on: boolean | null }) => setSignal(l.id, s, on), onSuccess: fresh });
  const on = board.data?.setup ?? false;
  const trouble = setup.error ?? set.error;
  return (
    <>
      <Heading
        title="Signals"
        action={
          <Button kind={on ? "main" : "plain"} disabled={setup.isPending || (!on && l.status === "running")} onClick={() => setup.mutate(!on)} hint={l.status === "running" ? "Stop the line first" : "Set signals by hand"}>
            <Wrench size={18} aria-hidden />
            {on ? "End set-up" : "Begin set-up"}
          </Button>
        }
      >
        <label className="inline-flex items-center gap-2">
          <span className="sr-only">Line</span>
          <select className="min-h-11 rounded-md border border-hairline bg-sheet px-3 text-lg text-ink" value={l.id} onChange={(e) => go(`/signals/${e.target.value}`)}>
            {all.map((x) => (
              <option key={x.id} value={x.id}>
                {lineName(x.name)}
              </option>
            ))}
          </select>
        </label>
        <span className="inline-flex items-center gap-2 text-lg font-semibold text-ink">
          <StatusMark status={l.status} />
          {statusWord(l.status)}
        </span>
        <Link to="/links" className="text-accent-text underline">
          Links
        </Link>
        {l.status === "running" && <span>Signals are set by hand only while the line stands.</span>}
      </Heading>
      {on && (
        <p role="status" className="m-0 bg-ink px-5 py-3 text-lg font-semibold text-paper">
          Set-up: outputs are forced and inputs simulated by hand. Keep clear of the ejectors.{" "}
          {board.data?.until && <span className="font-normal">It ends by itself at {clock(board.data.until)}.</span>}
        </p>
      )}
      {trouble && (
        <p role="alert" className="m-0 border-b border-hairline px-5 py-3 text-base text-reject">
          {trouble.message}
        </p>
      )}
      {board.isPending ? (
        <Waiting what="the signals" />
      ) : board.isError ? (
        <Trouble error={board.error} retry={() => void board.refetch()} />
      ) : (
        <div className="grid grid-cols-2 gap-px bg-hairline max-lg:grid-cols-1">
          {([["Inputs", false], ["Outputs", true]] as const).map(([title, output]) => (
            <section key={title} aria-label={title} className="bg-paper px-5 py-4">
              <h2 className="m-0 text-lg font-semibold">{title}</h2>
              <ul className="m-0 mt-2 list-none p-0">
                {board.data.signals
                  .filter((s) => s.output === output)
                  .map((s) => (
                    <Row key={s.name} s={s} byHand={on} set={(v) => set.mutate({ s, on: v })} />
                  ))}
              </ul>
            </section>
          ))}
        </div>
      )}
    </>
  );
}

function Row({ s, byHand, set }: { s: Signal; byHand: boolean; set: (on: boolean | null) => void }) {
  return (
    <li className="grid min-h-14 grid-cols-[2.25rem_minmax(0,1fr)_auto] items-center gap-3 border-t border-hairline py-1.5">
      <svg viewBox="0 0 24 24" className="h-7 w-7" aria-hidden="true">
        <circle cx="12" cy="12" r="9" fill={s.on ? "var(--accent)" : "none"} stroke="currentColor" strokeWidth="2" />
      </svg>
      <div className="min-w-0">
        <p className="m-0 text-base">
          <span className="font-mono font-medium">{s.name}</span> <span className="text-ink-2">{meaningOf(s)}</span>
        </p>
        <p className="m-0 text-sm text-ink-2">
          <b className="font-semibold text-ink">{s.on ? "On" : "Off"}</b> for {since(s.since)}, wire {s.high ? "high" : "low"}, went on {s.trips} times
          {s.forced && <b className="font-semibold text-accent-text"> · set by hand</b>}
        </p>
      </div>
      {byHand && (
        <div className="flex gap-1" role="group" aria-label={`${s.name} by hand`}>
          <Button aria-pressed={s.forced && s.on} className="px-3" onClick={() => set(true)}>
            On
          </Button>
          <Button aria-pressed={s.forced && !s.on} className="px-3" onClick={() => set(false)}>
            Off
          </Button>
          <Button className="px-3" disabled={!s.forced} onClick={() => set(null)}>
            Free
          </Button>
        </div>
      )}
    </li>
  );
}
