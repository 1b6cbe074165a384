import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Pause, Play } from "lucide-react";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { items, latest, lines, stations, type Item, type ItemDetail, type Station } from "../api/client";
import { setOrder } from "../api/workbench";
import { clock, lineName, percent, short } from "../lib/format";
import { faultWords } from "../lib/verdict";
import { Findings } from "../ui/findings";
import { useKeys } from "../ui/keys";
import { StatusMark, statusWord } from "../ui/marks";
import { OrderEditor } from "../ui/order";
import { Button, Heading, NotThere, Trouble, Verdict, Waiting } from "../ui/parts";
import { Picture, Thumb } from "../ui/picture";
import { StartStop } from "../ui/startstop";
import { useOverlays } from "../ui/useOverlays";

/** One station live: its picture with overlays, the verdict, the readings against
 * their limits, counters and the last rejects. */
export function StationPage() {
  const { id = "" } = useParams();
  const list = useQuery({ queryKey: ["stations"], queryFn: stations });
  const go = useNavigate();
  useKeys({ Escape: () => go("/floor") });
  const s = list.data?.find((x) => x.id === id);
  if (list.isPending) return <Waiting what="the station" />;
  if (list.isError) return <Trouble error={list.error} retry={() => void list.refetch()} />;
  if (!s) return <NotThere title={id} what={`station ${id}`} />;
  return <Live key={s.id} s={s} />;
}

function Live({ s }: { s: Station }) {
  const list = useQuery({ queryKey: ["lines"], queryFn: lines });
  const line = list.data?.find((l) => l.id === s.line);
  const last = useQuery({ queryKey: ["latest", s.id], queryFn: () => latest(s.id) });
  const [frozen, setFrozen] = useState<ItemDetail | null>(null);
  const [shown, setShown] = useState<ItemDetail | null>(null);
  const { overlays, hidden, toggleAll, toggle } = useOverlays();
  const current = frozen ?? last.data ?? null;
  // Verdict and readings are those of the picture that is on the screen.
  const told = frozen ?? (current?.picture && shown ? shown : current);
  const freeze = () => setFrozen((f) => (f ? null : (told ?? null)));
  useKeys({ o: toggleAll, f: freeze });
  return (
    <>
      <Heading title={`${lineName(s.line)} · ${s.name}`} action={line && <StartStop line={line} />}>
        <span className="inline-flex items-center gap-2 text-lg font-semibold text-ink">
          <StatusMark status={s.status} />
          {statusWord(s.status)}
        </span>
        <span>
          {s.product ? (
            <Link to={`/recipes/${s.product}/${s.role}/checks`} className="text-accent-text underline">
              {s.product}
            </Link>
          ) : (
            "no recipe"
          )}{" "}
          <span className="font-mono text-sm">{short(s.revision)}</span>
        </span>
        <Link to={`/lines/${s.line}`} className="text-accent-text underline">
          The line: changeover and runs
        </Link>
        <Link to={`/stations/${s.id}/camera`} className="text-accent-text underline">
          Set up the picture
        </Link>
      </Heading>
      {s.why && (
        <p role="alert" className="border-b border-hairline border-l-8 border-l-fault bg-sheet px-5 py-3 text-lg">
          {s.why}
        </p>
      )}
      <div className="grid grid-cols-[minmax(0,1fr)_24rem] max-lg:shrink-0 max-lg:grid-cols-1 lg:min-h-0 lg:flex-1">
        <section aria-label="Live picture" className="flex min-w-0 flex-col border-r border-hairline lg:min-h-0">
          <div className="flex flex-wrap items-center gap-4 border-b border-hairline px-5 py-2" aria-live="off">
            {told ? (
              <>
                <Verdict item={told} size="lg" />
                <p className="min-w-0 flex-1 text-lg">{told.fault ? `${faultWords[told.fault] ?? told.fault}: ${told.sentence}` : told.sentence}</p>
              </>
            ) : (
              <p className="flex-1 py-2 text-lg text-ink-2">No item yet</p>
            )}
            <Button aria-pressed={overlays} onClick={toggleAll} hint={overlays ? "Hide overlays" : "Show overlays"} shortcut="o">
              Overlays {overlays ? "on" : "off"}
            </Button>
            <Button aria-pressed={frozen !== null} onClick={freeze} disabled={!told} hint={frozen ? "Back to live" : "Hold this picture; production goes on"} shortcut="f">
              {frozen ? <Play size={18} aria-hidden /> : <Pause size={18} aria-hidden />}
              {frozen ? "Live" : "Freeze"}
            </Button>
          </div>
          <div className="relative min-h-72 flex-1 bg-pane max-lg:aspect-[4/3] max-lg:flex-none">
            <div className="absolute inset-0 flex items-center justify-center">
              {current ? (
                <div className="flex h-full max-h-full w-full items-center justify-center [container-type:size]">
                  <div style={{ width: "min(100cqw, 133.333cqh)" }}>
                    <Picture item={current} overlays={overlays} hidden={hidden} onShown={setShown} />
                  </div>
                </div>
              ) : last.isPending ? null : (
                <p className="px-6 text-center text-lg text-white">{s.status === "running" ? "The first picture appears here with the next item." : "Start the station, and its pictures appear here."}</p>
              )}
            </div>
            {frozen && <p className="absolute left-3 top-3 rounded bg-black/70 px-3 py-1 text-base text-white">Frozen at {clock(frozen.time)}, item {frozen.seq}. Production goes on.</p>}
          </div>
          <LastRejects id={s.id} />
        </section>
        <aside aria-label="Readings and counters" className="flex flex-col lg:min-h-0 lg:overflow-y-auto">
          <Counters s={s} item={told} />
          {told && <Findings findings={told.findings} hidden={hidden} onToggle={toggle} />}
          <Packed s={s} />
        </aside>
      </div>
    </>
  );
}

/** What the station packs: texts as {lot} are compared with it from the next item on. */
function Packed({ s }: { s: Station }) {
  const client = useQueryClient();
  return (
    <details className="border-b border-hairline px-4 py-2">
      <summary className="cursor-pointer py-1 text-base font-medium">What is packed{s.order?.["lot"] ? `: lot ${s.order["lot"]}` : ""}</summary>
      <OrderEditor
        order={s.order ?? {}}
        hint="Lot, expiry, price and whatever else the recipe compares with, from the next item on. Days as in 2027-03-31; date is today where you say nothing."
        save={(o) => setOrder(s.id, o).then((fresh) => client.setQueryData<Station[]>(["stations"], (old) => old?.map((x) => (x.id === fresh.id ? fresh : x))))}
      />
    </details>
  );
}

function Counters({ s, item }: { s: Station; item: ItemDetail | null }) {
  const n = s.counters;
  const figures: [string, string][] = [
    ["Inspected", String(n.inspected)],
    ["Passed", String(n.routes.pass ?? 0)],
    ["Rework", String(n.routes.rework ?? 0)],
    ["Rejected", String(n.routes.reject ?? 0)],
    ["Faults", String(n.faults)],
    ["Not recorded", String(n.not_recorded)],
  ];
  return (
    <section aria-label="Counters" className="border-b border-hairline px-4 py-3">
      <div className="flex items-end justify-between">
        <div>
          <p className="text-sm text-ink-2">Yield</p>
          <p className="text-2xl font-semibold">{percent(n.routes.pass ?? 0, n.inspected)}</p>
        </div>
        {item && (
          <p className="text-right text-sm text-ink-2">
            item {item.seq}
            <br />
            {clock(item.time)}, judged in {item.took_ms.toFixed(1)} ms
          </p>
        )}
      </div>
      <dl className="mt-2 grid grid-cols-3 gap-x-4 gap-y-1">
        {figures.map(([name, value]) => (
          <div key={name}>
            <dt className="text-sm text-ink-2">{name}</dt>
            <dd className="m-0 text-lg font-semibold">{value}</dd>
          </div>
        ))}
      </dl>
    </section>
  );
}

/** The last items that did not pass, newest first. */
function LastRejects({ id }: { id: string }) {
  const kept = useQuery({ queryKey: ["rejects", id], queryFn: async () => (await items({ station: id, not_passed: true, limit: 12 })).items });
  const live = useQuery<Item[]>({ queryKey: ["recent", id], queryFn: async () => (await items({ station: id, limit: 60 })).items });
  const fresh = (live.data ?? []).filter((i) => i.route !== "pass");
  const seen = new Set(fresh.map((i) => i.id));
  const shown = [...fresh, ...(kept.data ?? []).filter((i) => !seen.has(i.id))].slice(0, 12);
  return (
    <section aria-label="Last items that did not pass" className="border-t border-hairline px-5 py-2">
      <div className="flex items-baseline gap-4">
        <h2 className="text-base font-semibold">Did not pass</h2>
        <Link to={`/items?station=${id}&not_passed=true`} className="text-sm text-accent-text underline">
          All of them
        </Link>
      </div>
      {shown.length === 0 ? (
        <p className="flex h-36 items-center text-base text-ink-2">{kept.isPending ? "Fetching…" : kept.isError ? kept.error.message : "The next item that does not pass appears here, with its picture."}</p>
      ) : (
        <ul className="m-0 mt-1 flex list-none gap-3 overflow-x-auto p-0 pb-1">
          {shown.map((i) => (
            <li key={i.id} className="w-32 shrink-0">
              <Link to={`/items/${i.id}`} className="block text-ink no-underline" title={i.sentence}>
                <Thumb id={i.id} picture={i.picture} />
                <span className="mt-1 flex items-center gap-1">
                  <Verdict item={i} />
                </span>
                <span className="block truncate text-sm text-ink-2">{faultWords[i.fault] ?? i.reason}</span>
              </Link>
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}
