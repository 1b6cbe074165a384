import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { about, items, stations, type Item, type Station } from "../api/client";
import { lineName, percent, since } from "../lib/format";
import { verdictOf, wordOf } from "../lib/verdict";
import { colorOf, StatusMark, statusWord } from "../ui/marks";
import { Empty, Heading, Trouble, Verdict, Waiting } from "../ui/parts";
import { LiveThumb } from "../ui/picture";

/** All stations at a glance: what each does, how it goes, what it said last. */
export function FloorPage() {
  const list = useQuery({ queryKey: ["stations"], queryFn: stations });
  const site = useQuery({ queryKey: ["about"], queryFn: about });
  const running = list.data?.filter((s) => s.status === "running").length ?? 0;
  return (
    <>
      <Heading title="Floor">
        {list.data && (
          <span className="text-lg">
            {running} of {list.data.length} stations running
          </span>
        )}
        {site.data && <span>{site.data.site}</span>}
      </Heading>
      {list.isPending ? (
        <Waiting what="the stations" />
      ) : list.isError ? (
        <Trouble error={list.error} retry={() => void list.refetch()} />
      ) : list.data.length === 0 ? (
        <Empty title="No stations yet">Stations are described in site.yaml in the data folder; restart the service after adding one, and it appears here.</Empty>
      ) : (
        <ul className="m-0 grid list-none grid-cols-[repeat(auto-fill,minmax(min(30rem,100%),1fr))] gap-px bg-hairline p-0">
          {list.data.map((s) => (
            <StationTile key={s.id} s={s} />
          ))}
        </ul>
      )}
    </>
  );
}

function StationTile({ s }: { s: Station }) {
  const n = s.counters;
  return (
    <li className="bg-paper">
      <Link to={`/stations/${s.id}`} className="block h-full p-5 text-ink no-underline hover:bg-wash" aria-label={`${lineName(s.line)}, ${s.name}: ${statusWord(s.status)}`}>
        <div className="flex items-baseline gap-3">
          <h2 className="text-xl font-semibold">{lineName(s.line)}</h2>
          <span className="text-base text-ink-2">{s.name}</span>
          <span className="ml-auto inline-flex items-center gap-2 self-center text-lg font-semibold">
            <StatusMark status={s.status} />
            {statusWord(s.status)}
          </span>
        </div>
        {s.why && <p className="mt-2 border-l-4 border-fault py-1 pl-3 text-base">{s.why}</p>}
        <div className="mt-4 grid grid-cols-[minmax(10rem,46%)_1fr] gap-5">
          {s.last ? <LiveThumb id={s.last.id} picture={s.last.picture} /> : <div className="aspect-[4/3] bg-wash" />}
          <div className="min-w-0">
            {s.last ? (
              <>
                <Verdict item={s.last} size="lg" />
                <p className="mt-1 line-clamp-2 text-base text-ink-2">{s.last.sentence}</p>
              </>
            ) : (
              <p className="text-base text-ink-2">Nothing judged since the service started.</p>
            )}
          </div>
        </div>
        <dl className="mt-4 grid grid-cols-[1.5fr_1fr_1fr_1fr] gap-4">
          <Figure name="Yield" value={percent(n.routes.pass ?? 0, n.inspected)} large />
          <Figure name="Inspected" value={String(n.inspected)} />
          <Figure name="Rejected" value={String(n.routes.reject ?? 0)} />
          <Figure name="Faults" value={String(n.faults)} />
        </dl>
        <History id={s.id} />
        <p className="mt-3 truncate text-sm text-ink-2">
          {s.product || "no recipe"} · {s.status} for {since(s.since)}
        </p>
      </Link>
    </li>
  );
}

function Figure({ name, value, large }: { name: string; value: string; large?: boolean }) {
  return (
    <div>
      <dt className="text-sm text-ink-2">{name}</dt>
      <dd className={`m-0 font-semibold ${large ? "text-2xl" : "text-xl leading-[42px]"}`}>{value}</dd>
    </div>
  );
}

/** The last verdicts as a row of strokes, newest at the right; what did not pass
 * stands out by its height and color. */
function History({ id }: { id: string }) {
  const recent = useQuery<Item[]>({ queryKey: ["recent", id], queryFn: async () => (await items({ station: id, limit: 60 })).items });
  const shown = (recent.data ?? []).slice(0, 60).reverse();
  const bad = shown.filter((i) => i.route !== "pass").length;
  return (
    <svg viewBox="0 0 60 10" preserveAspectRatio="none" className="mt-4 h-6 w-full" role="img" aria-label={`Of the last ${shown.length} items, ${bad} did not pass`}>
      {shown.map((it, i) => {
        const x = 60 - shown.length + i;
        const passed = it.route === "pass";
        return (
          <rect key={it.id} x={x + 0.15} width={0.7} y={passed ? 6 : 0} height={passed ? 4 : 10} className={colorOf(verdictOf(it))} fill="currentColor" opacity={passed ? 0.55 : 1}>
            <title>{`${it.id}: ${wordOf(it)}`}</title>
          </rect>
        );
      })}
    </svg>
  );
}
