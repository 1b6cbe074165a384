import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useMemo, useRef } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import { items, stations, tally, type Item, type ItemQuery } from "../api/client";
import { short, when } from "../lib/format";
import { faultWords } from "../lib/verdict";
import { useKeys } from "../ui/keys";
import { Button, Empty, fieldLook, Heading, Trouble, Verdict, Waiting } from "../ui/parts";
import { Thumb } from "../ui/picture";

/** The filters that the address carries. */
export function queryOf(p: URLSearchParams): ItemQuery {
  const q: ItemQuery = { limit: 50 };
  for (const name of ["station", "line", "product", "route", "reason", "shift", "lot", "from", "until"] as const) {
    const v = p.get(name);
    if (v) q[name] = v;
  }
  const run = Number(p.get("run"));
  if (run) q.run = run;
  if (p.get("not_passed") === "true") q.not_passed = true;
  return q;
}

/** Recorded items, filtered and paged; the filters are in the address. */
export function ItemsPage() {
  const [params, setParams] = useSearchParams();
  const query = useMemo(() => queryOf(params), [params]);
  const list = useInfiniteQuery({
    queryKey: ["items", query],
    queryFn: ({ pageParam }) => items({ ...query, ...(pageParam ? { cursor: pageParam } : {}) }),
    initialPageParam: "",
    getNextPageParam: (p) => p.next || undefined,
  });
  const all = list.data?.pages.flatMap((p) => p.items) ?? [];
  // All changes of one step at once: the router does not add up several calls.
  const set = (changes: Record<string, string>) => {
    const next = new URLSearchParams(params);
    for (const [name, value] of Object.entries(changes)) {
      if (value) next.set(name, value);
      else next.delete(name);
    }
    setParams(next, { replace: true });
  };
  const go = useNavigate();
  const rows = useRef<HTMLTableSectionElement>(null);
  const move = (step: number) => {
    const links = [...(rows.current?.querySelectorAll<HTMLAnchorElement>("a[data-row]") ?? [])];
    const at = links.indexOf(document.activeElement as HTMLAnchorElement);
    links[Math.min(links.length - 1, Math.max(0, at + step))]?.focus();
  };
  useKeys({ ArrowDown: () => move(1), ArrowUp: () => move(-1), Escape: () => go("/floor") });
  const filtered = ["station", "line", "product", "route", "reason", "revision", "shift", "day", "week", "run", "lot", "from", "until", "not_passed"].some((n) => params.has(n));
  return (
    <>
      <Heading title="Items" action={<Button onClick={() => void list.refetch()}>Refresh</Button>}>
        {list.data && <span>{all.length === 0 ? "none" : `${all.length}${list.hasNextPage ? " newest" : ""}`}</span>}
      </Heading>
      <Filters params={params} set={set} clear={filtered ? () => setParams({}, { replace: true }) : undefined} />
      {list.isPending ? (
        <Waiting what="items" />
      ) : list.isError ? (
        <Trouble error={list.error} retry={() => void list.refetch()} />
      ) : all.length === 0 ? (
        filtered ? (
          <Empty title="No item fits these filters" action={<Button onClick={() => setParams({}, { replace: true })}>Clear the filters</Button>}>
            Take one out, or choose another time.
          </Empty>
        ) : (
          <Empty title="No items yet" action={<Link to="/floor" className="text-base font-medium text-accent-text underline">Go to the floor</Link>}>
            Every inspected item appears here, the newest first. Start a station on the floor to make the first one.
          </Empty>
        )
      ) : (
        <>
          <table className="w-full border-collapse text-base">
            <thead className="sr-only">
              <tr>
                <th>Picture</th>
                <th>Verdict</th>
                <th>What was found</th>
                <th>Item</th>
                <th>Time</th>
              </tr>
            </thead>
            <tbody ref={rows}>
              {all.map((i) => (
                <Row key={i.id} i={i} search={params.toString()} />
              ))}
            </tbody>
          </table>
          <div className="flex justify-center py-5">
            {list.hasNextPage ? (
              <Button onClick={() => void list.fetchNextPage()} disabled={list.isFetchingNextPage}>
                {list.isFetchingNextPage ? "Fetching…" : "Older items"}
              </Button>
            ) : (
              <p className="text-sm text-ink-2">These are all.</p>
            )}
          </div>
        </>
      )}
    </>
  );
}

function Row({ i, search }: { i: Item; search: string }) {
  return (
    <tr className="relative border-b border-hairline hover:bg-wash focus-within:bg-wash">
      <td className="w-36 py-1.5 pl-5 pr-3">
        <Thumb id={i.id} picture={i.picture} />
      </td>
      <td className="w-32 pr-3">
        <Verdict item={i} />
      </td>
      <td className="pr-3">
        <Link data-row to={`/items/${i.id}${search ? `?${search}` : ""}`} className="block text-ink no-underline after:absolute after:inset-0">
          {i.fault ? `${faultWords[i.fault] ?? i.fault}: ${i.sentence}` : i.sentence}
        </Link>
      </td>
      <td className="w-44 pr-3 font-mono text-sm text-ink-2 max-md:hidden">{i.id}</td>
      <td className="w-36 pr-5 text-right text-ink-2">{when(i.time)}</td>
    </tr>
  );
}


function Filters({ params, set, clear }: { params: URLSearchParams; set: (changes: Record<string, string>) => void; clear?: () => void }) {
  const list = useQuery({ queryKey: ["stations"], queryFn: stations });
  const reasons = useQuery({ queryKey: ["reasons"], queryFn: () => tally({ by: "reason", not_passed: true }) });
  const local = (name: string) => {
    const v = params.get(name);
    if (!v) return "";
    const d = new Date(v);
    return Number.isNaN(d.getTime()) ? "" : new Date(d.getTime() - d.getTimezoneOffset() * 60000).toISOString().slice(0, 16);
  };
  const setTime = (name: string, v: string) => set({ [name]: v ? new Date(v).toISOString() : "" });
  return (
    <form aria-label="Filters" onSubmit={(e) => e.preventDefault()} className="flex flex-wrap items-end gap-3 border-b border-hairline px-5 py-3">
      <Label text="Station">
        <select className={fieldLook} value={params.get("station") ?? ""} onChange={(e) => set({ station: e.target.value })}>
          <option value="">All</option>
          {list.data?.map((s) => (
            <option key={s.id} value={s.id}>
              {s.id}
            </option>
          ))}
        </select>
      </Label>
      <Label text="Verdict">
        <select
          className={fieldLook}
          value={params.get("not_passed") === "true" ? "not_passed" : (params.get("route") ?? "")}
          onChange={(e) => set(e.target.value === "not_passed" ? { not_passed: "true", route: "" } : { not_passed: "", route: e.target.value })}
        >
          <option value="">All</option>
          <option value="not_passed">Did not pass</option>
          <option value="pass">Pass</option>
          <option value="rework">Rework</option>
          <option value="reject">Reject</option>
        </select>
      </Label>
      <Label text="Reason">
        <select className={fieldLook} value={params.get("reason") ?? ""} onChange={(e) => set({ reason: e.target.value })}>
          <option value="">All</option>
          {[...new Set([...(reasons.data?.tallies.map((t) => t.key.reason ?? "") ?? []), params.get("reason") ?? ""])].filter(Boolean).map((r) => (
            <option key={r} value={r}>
              {faultWords[r] ?? r}
            </option>
          ))}
        </select>
      </Label>
      <Label text="From">
        <input type="datetime-local" className={fieldLook} value={local("from")} onChange={(e) => setTime("from", e.target.value)} />
      </Label>
      <Label text="Until">
        <input type="datetime-local" className={fieldLook} value={local("until")} onChange={(e) => setTime("until", e.target.value)} />
      </Label>
      {(["line", "product", "revision", "shift", "day", "week", "run", "lot"] as const)
        .filter((n) => params.get(n))
        .map((n) => (
          <button key={n} type="button" className="min-h-11 rounded-md border border-hairline bg-wash px-3 text-base" onClick={() => set({ [n]: "" })}>
            {n} {short(params.get(n) ?? "")} ✕<span className="sr-only">, take this filter out</span>
          </button>
        ))}
      {clear && <Button onClick={clear}>Clear</Button>}
    </form>
  );
}

function Label({ text, children }: { text: string; children: React.ReactNode }) {
  return (
    <label className="flex flex-col gap-1 text-sm text-ink-2">
      {text}
      {children}
    </label>
  );
}
