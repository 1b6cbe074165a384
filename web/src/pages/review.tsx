import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { items, reviewRates, stations, tally, type ItemQuery, type Rate, type StatFilter } from "../api/client";
import { useFilters } from "../lib/params";
import { faultWords } from "../lib/verdict";
import { useKeys } from "../ui/keys";
import { Button, Empty, fieldLook, Heading, StationOptions, Trouble, Waiting } from "../ui/parts";
import { Strip, Tile } from "../ui/tile";


/** What did not pass and what did, as strips of pictures: right or wrong? Production goes on. */
export function ReviewPage() {
  const [params, set] = useFilters();
  const go = useNavigate();
  const [frozen, setFrozen] = useState(false);
  useKeys({ Escape: () => go("/statistics"), f: () => setFrozen((f) => !f) });
  const filter: StatFilter = {};
  for (const n of ["station", "product", "shift", "reason"] as const) {
    const v = params.get(n);
    if (v) filter[n] = v;
  }
  const passes = params.get("show") === "passed";
  const list = useQuery({ queryKey: ["stations"], queryFn: stations });
  const reasons = useQuery({ queryKey: ["reasons"], queryFn: () => tally({ by: "reason", not_passed: true }) });
  const rates = useQuery({ queryKey: ["rates", filter], queryFn: () => reviewRates(filter), placeholderData: (old) => old });
  return (
    <>
      <Heading
        title="Review"
        action={
          <Button aria-pressed={frozen} shortcut="f" hint={frozen ? "Follow the line again" : "Keep what is shown; the line goes on"} onClick={() => setFrozen(!frozen)}>
            {frozen ? "Frozen: go on" : "Freeze"}
          </Button>
        }
      >
        {rates.data && (
          <>
            <RateText word="False rejects" what="of rejects looked at" r={rates.data.false_rejects} />
            <RateText word="Missed rejects" what="of passes looked at" r={rates.data.missed} />
          </>
        )}
      </Heading>
      <div className="flex flex-wrap items-end gap-4 border-b border-hairline px-5 py-3">
        <label className="flex flex-col gap-1 text-sm text-ink-2">
          Show
          <select className={fieldLook} value={passes ? "passed" : ""} onChange={(e) => set({ show: e.target.value, reason: "" })}>
            <option value="">what did not pass</option>
            <option value="passed">what passed</option>
          </select>
        </label>
        <label className="flex flex-col gap-1 text-sm text-ink-2">
          Station
          <select className={fieldLook} value={params.get("station") ?? ""} onChange={(e) => set({ station: e.target.value })}>
            <option value="">all</option>
            <StationOptions list={list.data ?? []} />
          </select>
        </label>
        {!passes && (
          <label className="flex flex-col gap-1 text-sm text-ink-2">
            Reason
            <select className={fieldLook} value={params.get("reason") ?? ""} onChange={(e) => set({ reason: e.target.value })}>
              <option value="">all</option>
              {[...new Set([...(reasons.data?.tallies.map((t) => t.key.reason ?? "") ?? []), params.get("reason") ?? ""])].filter(Boolean).map((r) => (
                <option key={r} value={r}>
                  {faultWords[r] ?? r}
                </option>
              ))}
            </select>
          </label>
        )}
        {params.get("shift") && (
          <button className="min-h-11 rounded-md border border-hairline bg-wash px-3 text-base" onClick={() => set({ shift: "" })}>
            shift {params.get("shift")} ✕<span className="sr-only">, take this filter out</span>
          </button>
        )}
      </div>
      <Tiles key={JSON.stringify([filter, passes])} query={{ ...filter, ...(passes ? { route: "pass" } : { not_passed: true }) }} frozen={frozen} passes={passes} clear={() => set(Object.fromEntries([...params.keys()].map((n) => [n, ""])))} />
    </>
  );
}

function RateText({ word, what, r }: { word: string; what: string; r: Rate }) {
  if (r.of === 0) return <span>{`${word}: no ${what.replace("of ", "")} yet`}</span>;
  const p = (v: number) => (100 * v).toFixed(1);
  return (
    <span>
      {word}: <b className="text-ink">{`${r.n} of ${r.of}`}</b>
      {` ${what}, ${p(r.share)} % (${p(r.range.least)} to ${p(r.range.most)})`}
    </span>
  );
}

function Tiles({ query, frozen, passes, clear }: { query: ItemQuery; frozen: boolean; passes: boolean; clear: () => void }) {
  const q = useInfiniteQuery({
    queryKey: ["strip", query],
    queryFn: ({ pageParam }) => items({ ...query, pictured: true, limit: 24, ...(pageParam ? { cursor: pageParam } : {}) }),
    initialPageParam: "",
    getNextPageParam: (p) => p.next || undefined,
    refetchInterval: frozen ? false : 3000,
    staleTime: 0,
  });
  if (q.isPending) return <Waiting what="pictures" />;
  if (q.isError) return <Trouble error={q.error} retry={() => void q.refetch()} />;
  const all = q.data.pages.flatMap((p) => p.items);
  if (all.length === 0)
    return (
      <Empty title="No pictures fit" action={<Button onClick={clear}>Clear the filters</Button>}>
        {passes ? "Of what passes, the picture of one in so many is kept (pass_share in site.yaml). " : "Pictures are kept of all that does not pass, the newest ones. "}
        They appear here as the lines run.
      </Empty>
    );
  return (
    <div className="px-5 py-4">
      <p className="m-0 mb-3 text-base text-ink-2">Was the verdict right? What you say counts in the rates above, and marks the item wherever it is shown. A picture opens the item with all its readings.</p>
      <Strip label={passes ? "What passed" : "What did not pass"}>
        {all.map((i) => (
          <Tile key={i.id} item={i} />
        ))}
      </Strip>
      <div className="flex justify-center py-5">
        {q.hasNextPage ? (
          <Button onClick={() => void q.fetchNextPage()} disabled={q.isFetchingNextPage}>
            {q.isFetchingNextPage ? "Fetching…" : "Look further back"}
          </Button>
        ) : (
          <p className="text-sm text-ink-2">These are all that are kept.</p>
        )}
      </div>
    </div>
  );
}
