import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate, useParams } from "react-router";
import { about, lines, sendPiece, stations, type Line, type Package, type Station } from "../api/client";
import { useConnected, useLive } from "../api/live";
import { lineName, percent } from "../lib/format";
import { faultWords, verdictOf } from "../lib/verdict";
import { useKeys } from "../ui/keys";
import { colorOf, Mark, StatusMark, statusWord } from "../ui/marks";
import { wordOf } from "../lib/verdict";
import { challengeStep, nextPiece } from "./challenge";

/** The front display of a line: one screen to be read from three meters. While the line stands
 * it says why, and where this service is. */
export function FrontPage() {
  useLive();
  const { id = "" } = useParams();
  const go = useNavigate();
  useKeys({ Escape: () => go(`/lines/${id}`) });
  const connected = useConnected();
  const list = useQuery({ queryKey: ["lines"], queryFn: lines, refetchInterval: connected ? false : 5000 });
  const all = useQuery({ queryKey: ["stations"], queryFn: stations });
  const last = useQuery<Package[]>({ queryKey: ["packages", id], queryFn: () => [], staleTime: Infinity });
  const service = useQuery({ queryKey: ["about"], queryFn: about });
  const l = list.data?.find((x) => x.id === id);
  if (!l) {
    return (
      <main className="grid h-dvh place-items-center bg-paper p-8 text-center text-[5vmin] text-ink">
        {list.isError || !connected ? "The service does not answer. The line goes on by itself." : list.isPending ? "One moment" : `There is no line ${id}`}
      </main>
    );
  }
  const p = last.data?.[0];
  return (
    <main className="grid h-dvh grid-rows-[auto_1fr_auto] bg-paper text-ink" aria-label={`Front display of ${lineName(l.name)}`}>
      <header className="flex flex-wrap items-center gap-x-[4vmin] border-b border-hairline px-[4vmin] py-[2vmin]">
        <h1 className="m-0 text-[6vmin] font-semibold leading-tight">{lineName(l.name)}</h1>
        <span className="inline-flex items-center gap-[1.5vmin] text-[6vmin] font-semibold leading-tight">
          <span className="inline-block h-[5vmin] w-[5vmin] [&>svg]:h-full [&>svg]:w-full">
            <StatusMark status={l.status} />
          </span>
          {statusWord(l.status)}
        </span>
        <span className="ml-auto text-[5vmin] leading-tight text-ink-2">{l.run ? `${l.run.product}${l.run.order["lot"] ? `  ${l.run.order["lot"]}` : ""}` : "no product"}</span>
      </header>
      {challengeStep(l) ? <Piece l={l} /> : l.status === "running" ? <Running p={p} /> : <Standing l={l} mine={(all.data ?? []).filter((s) => s.line === l.id)} />}
      <footer className="grid grid-cols-3 border-t border-hairline px-[4vmin] py-[2vmin]">
        <Figure name="Packages" value={String(l.counters.packages)} />
        <Figure name="Yield" value={percent(l.counters.routes.pass ?? 0, l.counters.packages)} />
        <Figure name="Rejected" value={String(l.counters.routes.reject ?? 0)} />
        {l.status !== "running" && service.data && (
          <p className="col-span-3 m-0 pt-[1vmin] text-[2.6vmin] text-ink-2">
            {location.host} · Ricetta {service.data.version} · {service.data.site}
          </p>
        )}
      </footer>
      {!connected && (
        <p role="alert" className="fixed inset-x-0 bottom-0 m-0 bg-ink px-[4vmin] py-[1vmin] text-[4vmin] text-paper">
          The service does not answer. What you see is from before.
        </p>
      )}
    </main>
  );
}

/** The challenge that goes on: what to send, and the button that says it is coming. */
function Piece({ l }: { l: Line }) {
  const client = useQueryClient();
  const send = useMutation({
    mutationFn: () => sendPiece(l.id),
    onSuccess: (fresh) => client.setQueryData<Line[]>(["lines"], (old) => old?.map((x) => (x.id === fresh.id ? fresh : x))),
  });
  const last = l.challenge?.sends.filter((s) => s.got !== "").at(-1);
  const can = !l.proof.armed && l.status === "running" && nextPiece(l) !== undefined;
  useKeys({ Enter: () => can && send.mutate() });
  return (
    <div role="status" className="flex min-h-0 flex-col justify-center gap-[3vmin] px-[4vmin]">
      <p className="m-0 text-[4vmin] leading-tight text-ink-2">Challenge, {l.challenge?.who}</p>
      <p className="m-0 text-[9vmin] font-semibold leading-tight">{challengeStep(l)}</p>
      {can && (
        <button className="min-h-[10vmin] self-start rounded-lg bg-accent px-[4vmin] text-[5vmin] font-semibold text-accent-ink" onClick={() => send.mutate()}>
          The next package is it
        </button>
      )}
      {last && <p className={`m-0 text-[4.5vmin] font-semibold leading-tight ${last.ok ? "text-pass" : "text-reject"}`}>{last.ok ? `“${last.piece}” went to ${last.got}: right` : `“${last.piece}”: ${last.says}`}</p>}
      {send.error && <p role="alert" className="m-0 text-[4vmin] text-reject">{send.error.message}</p>}
    </div>
  );
}

function Running({ p }: { p: Package | undefined }) {
  if (!p) return <p className="m-auto text-[6vmin] text-ink-2">The next package appears here.</p>;
  const state = verdictOf(p);
  return (
    <div className={`flex min-h-0 items-center justify-center gap-[6vmin] px-[4vmin] ${colorOf(state)}`}>
      <span className="inline-block h-[34vmin] w-[34vmin] shrink-0 [&>svg]:h-full [&>svg]:w-full">
        <Mark state={state} />
      </span>
      <div className="min-w-0">
        <p className="m-0 text-[19vmin] font-semibold leading-none">{wordOf(p)}</p>
        {p.route !== "pass" && <p className="m-0 mt-[2vmin] line-clamp-3 text-[5vmin] leading-tight text-ink">{p.fault ? (faultWords[p.fault] ?? p.fault) : p.sentence}</p>}
      </div>
    </div>
  );
}

function Standing({ l, mine }: { l: Line; mine: Station[] }) {
  const why = l.why || mine.find((s) => s.why)?.why;
  return (
    <div className="flex min-h-0 flex-col justify-center gap-[3vmin] px-[4vmin]">
      <p className="m-0 text-[9vmin] font-semibold leading-tight">{l.status === "held" ? "Somebody must look" : "The line stands"}</p>
      <p className="m-0 text-[5.5vmin] leading-tight text-ink-2">{why || "Press Start at the console, or give the command to start."}</p>
    </div>
  );
}

function Figure({ name, value }: { name: string; value: string }) {
  return (
    <div>
      <p className="m-0 text-[3vmin] text-ink-2">{name}</p>
      <p className="m-0 text-[9vmin] font-semibold leading-none tabular-nums">{value}</p>
    </div>
  );
}
