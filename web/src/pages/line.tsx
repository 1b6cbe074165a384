import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { MonitorUp, Replace } from "lucide-react";
import { useEffect, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { changeLine, findToPack, lines, prepareLine, runs, stations, triggerLine, type Line, type Package, type Station } from "../api/client";
import { recipes } from "../api/workbench";
import { lineName, percent, when } from "../lib/format";
import { faultWords, verdictOf } from "../lib/verdict";
import { useKeys } from "../ui/keys";
import { colorOf, StatusMark, statusWord } from "../ui/marks";
import { Button, Heading, NotThere, Trouble, Verdict, Waiting } from "../ui/parts";
import { LiveThumb } from "../ui/picture";
import { StartStop } from "../ui/startstop";
import { ChallengePart } from "./challenge";

/** One line: what it packs and how it goes, its stations, its packages, its runs, and the
 * changeover to the next product. */
export function LinePage() {
  const { id = "" } = useParams();
  const list = useQuery({ queryKey: ["lines"], queryFn: lines });
  const go = useNavigate();
  useKeys({ Escape: () => go("/floor") });
  if (list.isPending) return <Waiting what="the line" />;
  if (list.isError) return <Trouble error={list.error} retry={() => void list.refetch()} />;
  const l = list.data.find((x) => x.id === id);
  if (!l) return <NotThere title={id} what={`line ${id}`} />;
  return <One key={l.id} l={l} />;
}

function One({ l }: { l: Line }) {
  const [changing, setChanging] = useState(false);
  useKeys({ c: () => setChanging(true) });
  return (
    <>
      <Heading
        title={lineName(l.name)}
        action={
          <>
            <Button onClick={() => setChanging((c) => !c)} aria-expanded={changing} shortcut="c" hint="Pack another product">
              <Replace size={18} aria-hidden />
              Change over
            </Button>
            <StartStop line={l} />
          </>
        }
      >
        <span className="inline-flex items-center gap-2 text-lg font-semibold text-ink">
          <StatusMark status={l.status} />
          {statusWord(l.status)}
        </span>
        {l.run ? (
          <span>
            {l.run.product}
            {l.run.order["lot"] ? `, lot ${l.run.order["lot"]}` : ""}, run {l.run.id} since {when(l.run.begin)}
          </span>
        ) : (
          <span>packs nothing yet</span>
        )}
        <Link to={`/lines/${l.id}/front`} className="inline-flex items-center gap-1 text-accent-text underline">
          <MonitorUp size={16} aria-hidden />
          Front display
        </Link>
        <Link to={`/signals/${l.id}`} className="text-accent-text underline">
          Signals
        </Link>
      </Heading>
      {l.why && (
        <p role="alert" className="border-b border-hairline border-l-8 border-l-fault bg-sheet px-5 py-3 text-lg">
          {l.why}
        </p>
      )}
      <div className={`grid ${changing ? "grid-cols-[minmax(0,1fr)_24rem]" : "grid-cols-1"} max-lg:grid-cols-1 lg:min-h-0 lg:flex-1`}>
        <div className="flex min-w-0 flex-col lg:overflow-y-auto">
          <Figures l={l} />
          <ChallengePart l={l} />
          <Stations l={l} />
          <LastPackages l={l} />
          <Runs l={l} />
        </div>
        {changing && <Changeover l={l} close={() => setChanging(false)} />}
      </div>
    </>
  );
}

function Figures({ l }: { l: Line }) {
  const n = l.counters;
  const rest: [string, number][] = [
    ["Rework", n.routes.rework ?? 0],
    ["Rejected", n.routes.reject ?? 0],
    ["Faults among them", n.faults],
    ["Not confirmed", n.unconfirmed],
    ["Under way", l.underway],
  ];
  return (
    <section aria-label="Counts of the run" className="flex flex-wrap items-end gap-x-10 gap-y-2 border-b border-hairline px-5 py-4">
      <div>
        <p className="text-sm text-ink-2">Packages of this run</p>
        <p className="text-3xl font-semibold tabular-nums">{n.packages}</p>
      </div>
      <div>
        <p className="text-sm text-ink-2">Yield</p>
        <p className="text-3xl font-semibold tabular-nums">{percent(n.routes.pass ?? 0, n.packages)}</p>
      </div>
      <dl className="m-0 flex flex-wrap gap-x-8 gap-y-2 pb-2">
        {rest.map(([name, value]) => (
          <div key={name}>
            <dt className="text-sm text-ink-2">{name}</dt>
            <dd className="m-0 text-xl font-semibold tabular-nums">{value}</dd>
          </div>
        ))}
      </dl>
      {l.trigger.by === "software" && <ByHand l={l} />}
    </section>
  );
}

/** A line triggered by software takes a package at the press of a button. */
function ByHand({ l }: { l: Line }) {
  const go = useMutation({ mutationFn: () => triggerLine(l.id) });
  return (
    <div className="flex flex-col gap-1 pb-2">
      <Button onClick={() => go.mutate()} disabled={l.status !== "running"}>
        Take the package at the trigger
      </Button>
      {go.error && (
        <span role="alert" className="text-sm text-reject">
          {go.error.message}
        </span>
      )}
    </div>
  );
}

function Stations({ l }: { l: Line }) {
  const list = useQuery({ queryKey: ["stations"], queryFn: stations });
  const mine = l.stations.map((id) => list.data?.find((s) => s.id === id)).filter((s): s is Station => s !== undefined);
  return (
    <section aria-label="Stations" className="border-b border-hairline px-5 py-3">
      <h2 className="text-base font-semibold">Stations, as a package passes them</h2>
      <ol className="m-0 mt-2 grid list-none grid-cols-[repeat(auto-fill,minmax(min(18rem,100%),1fr))] gap-4 p-0">
        {mine.map((s) => (
          <li key={s.id}>
            <Link to={`/stations/${s.id}`} className="grid grid-cols-[9rem_1fr] gap-3 rounded-md text-ink no-underline hover:bg-wash">
              {s.last ? <LiveThumb id={s.last.id} picture={s.last.picture} /> : <div className="aspect-[4/3] bg-wash" />}
              <div className="min-w-0">
                <p className="m-0 text-base font-medium">{s.name}</p>
                {s.last ? <Verdict item={s.last} /> : <p className="m-0 text-sm text-ink-2">Nothing judged yet</p>}
                <p className="m-0 mt-1 line-clamp-2 text-sm text-ink-2">{s.last?.sentence}</p>
              </div>
            </Link>
          </li>
        ))}
      </ol>
    </section>
  );
}

/** The packages that came since the page was opened, as a strip: what did not pass stands out. */
function LastPackages({ l }: { l: Line }) {
  const list = useQuery<Package[]>({ queryKey: ["packages", l.id], queryFn: () => [], staleTime: Infinity });
  const all = list.data ?? [];
  const bad = all.filter((p) => p.route !== "pass").slice(0, 6);
  return (
    <section aria-label="Last packages" className="border-b border-hairline px-5 py-3">
      <h2 className="text-base font-semibold">Last packages</h2>
      {all.length === 0 ? (
        <p className="m-0 mt-1 text-base text-ink-2">{l.status === "running" ? "They appear here as they come to the ejectors." : "Start the line, and its packages appear here."}</p>
      ) : (
        <>
          <div className="mt-2 flex h-9 items-end gap-[3px]" role="img" aria-label={`${all.length} packages, ${all.filter((p) => p.route !== "pass").length} did not pass`}>
            {all
              .slice(0, 60)
              .reverse()
              .map((p) => (
                <span key={p.id} title={`${p.seq}: ${p.sentence || "Pass"}`} className={`w-2 bg-current ${colorOf(verdictOf(p))} ${p.route === "pass" ? "h-3" : "h-9"}`} />
              ))}
          </div>
          {bad.length > 0 && (
            <ul className="m-0 mt-3 list-none p-0">
              {bad.map((p) => (
                <li key={p.id} className="grid grid-cols-[6rem_8rem_1fr] items-center gap-3 border-t border-hairline py-1.5 text-base">
                  <span className="tabular-nums text-ink-2">{p.station ? <Link to={`/items/${p.station}.${p.seq}`} className="text-accent-text underline">{p.seq}</Link> : p.seq}</span>
                  <Verdict item={p} />
                  <span className="min-w-0 truncate">{p.fault ? `${faultWords[p.fault] ?? p.fault}: ${p.sentence}` : p.sentence}</span>
                </li>
              ))}
            </ul>
          )}
        </>
      )}
    </section>
  );
}

function Runs({ l }: { l: Line }) {
  const list = useQuery({ queryKey: ["runs", l.id, l.run?.id], queryFn: () => runs(l.id) });
  if (list.isPending) return <Waiting what="the runs" />;
  if (list.isError) return <Trouble error={list.error} retry={() => void list.refetch()} />;
  const cell = "whitespace-nowrap px-3 py-1.5 text-left";
  const figure = "whitespace-nowrap px-3 py-1.5 text-right tabular-nums";
  return (
    <section aria-label="Runs" className="px-5 py-3">
      <h2 className="text-base font-semibold">Runs</h2>
      <div className="overflow-x-auto" tabIndex={0} role="region" aria-label="Runs of the line">
        <table className="mt-1 w-full border-collapse text-base">
          <thead>
            <tr className="text-sm text-ink-2">
              {["Run", "Product", "Lot", "Begin", "End", "By"].map((h) => (
                <th key={h} className={`${cell} font-medium`}>
                  {h}
                </th>
              ))}
              {["Packages", "Yield", "Rejected", "Faults"].map((h) => (
                <th key={h} className={`${figure} font-medium`}>
                  {h}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {list.data.map((r) => {
              const n = (r.id === l.run?.id ? l.counters : r.counters) ?? l.counters;
              return (
                <tr key={r.id} className="border-t border-hairline">
                  <td className={cell}>{r.id}</td>
                  <td className={cell}>{r.product}</td>
                  <td className={cell}>{r.order["lot"] ?? ""}</td>
                  <td className={cell}>{when(r.begin)}</td>
                  <td className={cell}>{r.end ? when(r.end) : "goes on"}</td>
                  <td className={cell}>{[r.who, r.by].filter(Boolean).join(", ")}</td>
                  <td className={figure}>{n.packages}</td>
                  <td className={figure}>{percent(n.routes.pass ?? 0, n.packages)}</td>
                  <td className={figure}>{n.routes.reject ?? 0}</td>
                  <td className={figure}>{n.faults}</td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
    </section>
  );
}

/** The products that all stations of the line have a released recipe for. */
export function packable(list: { product: string; role: string; state: string }[], roles: string[]): string[] {
  const by = new Map<string, Set<string>>();
  for (const r of list) {
    if (r.state !== "released") continue;
    by.set(r.product, (by.get(r.product) ?? new Set()).add(r.role));
  }
  return [...by].filter(([, has]) => roles.every((r) => has.has(r))).map(([p]) => p).sort();
}

function Changeover({ l, close }: { l: Line; close: () => void }) {
  const client = useQueryClient();
  const all = useQuery({ queryKey: ["recipes"], queryFn: recipes });
  const list = useQuery({ queryKey: ["stations"], queryFn: stations });
  const roles = l.stations.map((id) => list.data?.find((s) => s.id === id)?.role ?? "");
  const products = packable(all.data ?? [], roles);
  const [product, setProduct] = useState("");
  const [sought, setSought] = useState("");
  const [more, setMore] = useState<Record<string, string>>({});
  const found = useMutation({
    mutationFn: (text: string) => findToPack(l.id, text),
    onSuccess: (f) => {
      setProduct(f.product);
      setLot(f.order["lot"] ?? "");
      setExpiry(f.order["expiry"] ?? "");
      setQuantity(f.order["quantity"] ?? "");
      setMore(f.order);
    },
  });
  const [lot, setLot] = useState("");
  const [expiry, setExpiry] = useState("");
  const [quantity, setQuantity] = useState("");
  const [who, setWho] = useState(() => localStorage.getItem("who") ?? "");
  const { mutate: prepare, reset, ...ready } = useMutation({ mutationFn: (p: string) => prepareLine(l.id, p) });
  useEffect(() => {
    reset();
    if (product) prepare(product);
  }, [product, prepare, reset]);
  const order = Object.fromEntries(Object.entries({ ...more, lot, expiry, quantity }).filter(([, v]) => v.trim() !== "").map(([k, v]) => [k, v.trim()]));
  const change = useMutation({
    mutationFn: () => changeLine(l.id, product, order, who.trim()),
    onSuccess: (fresh: Line) => {
      localStorage.setItem("who", who.trim());
      client.setQueryData<Line[]>(["lines"], (old) => old?.map((x) => (x.id === fresh.id ? fresh : x)));
      void client.invalidateQueries({ queryKey: ["runs", l.id] });
      close();
    },
  });
  const field = "min-h-11 w-full rounded-md border border-hairline bg-sheet px-3 text-base text-ink";
  const label = "text-sm text-ink-2";
  return (
    <aside aria-label="Changeover" className="border-l border-hairline px-5 py-4 lg:overflow-y-auto">
      <form
        className="flex flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          change.mutate();
        }}
      >
        <h2 className="text-lg font-semibold">Change over</h2>
        <p className="m-0 text-base text-ink-2">All stations of the line switch together, from the next package on. Those on the belt are judged and counted as what they are.</p>
        <label className={label}>
          Order number or code, typed or scanned
          <input
            className={field}
            value={sought}
            onChange={(e) => setSought(e.target.value)}
            onKeyDown={(e) => {
              // A scanner ends with Enter: it fills the form, and does not send it.
              if (e.key !== "Enter" || sought.trim() === "") return;
              e.preventDefault();
              found.mutate(sought);
            }}
            onBlur={() => sought.trim() !== "" && !found.isSuccess && found.mutate(sought)}
          />
        </label>
        {(found.error ?? found.data) && (
          <p role="status" className={`m-0 text-base ${found.error ? "text-reject" : "text-pass"}`}>
            {found.error ? found.error.message : `Found ${found.data?.what ?? ""}: look over what follows.`}
          </p>
        )}
        <label className={label}>
          Product
          <select className={field} value={product} onChange={(e) => {
              setProduct(e.target.value);
              setMore({});
            }}>
            <option value="">Choose what to pack</option>
            {products.map((p) => (
              <option key={p}>{p}</option>
            ))}
          </select>
        </label>
        {all.data && products.length === 0 && <p className="m-0 text-sm text-reject">No product has a released recipe for every station of this line. Release one under Recipes.</p>}
        {product && (
          <p role="status" className={`m-0 text-base ${ready.isError ? "text-reject" : ready.isSuccess ? "text-pass" : "text-ink-2"}`}>
            {ready.isError ? ready.error?.message : ready.isSuccess ? "Ready: the switch takes an instant." : "Making its recipes ready…"}
          </p>
        )}
        <label className={label}>
          Lot
          <input className={field} value={lot} onChange={(e) => setLot(e.target.value)} />
        </label>
        <label className={label}>
          Expiry, as in 2027-03-31
          <input className={field} value={expiry} onChange={(e) => setExpiry(e.target.value)} inputMode="numeric" />
        </label>
        <label className={label}>
          Quantity
          <input className={field} value={quantity} onChange={(e) => setQuantity(e.target.value)} inputMode="numeric" />
        </label>
        <label className={label}>
          Your name
          <input className={field} value={who} onChange={(e) => setWho(e.target.value)} autoComplete="name" />
        </label>
        {change.error && (
          <p role="alert" className="m-0 text-base text-reject">
            {change.error.message}
          </p>
        )}
        <div className="flex gap-3">
          <Button type="submit" kind="main" disabled={!ready.isSuccess || change.isPending}>
            {l.run ? `Pack ${product || "it"}` : "Begin"}
          </Button>
          <Button onClick={close}>Go back</Button>
        </div>
      </form>
    </aside>
  );
}

