import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { item as fetchItem, items, pictureURL, reviewItem, type ItemDetail } from "../api/client";
import { sampleOfItem } from "../api/workbench";
import { short, when } from "../lib/format";
import { faultWords } from "../lib/verdict";
import { Findings } from "../ui/findings";
import { Rows } from "../ui/rows";
import { useKeys } from "../ui/keys";
import { Button, Heading, Trouble, Verdict, Waiting } from "../ui/parts";
import { Picture } from "../ui/picture";
import { Marks } from "../ui/tile";
import { useOverlays } from "../ui/useOverlays";
import { queryOf } from "./items";

/** One item: its picture with overlays, every reading, and the sentence why. */
export function ItemPage() {
  const { id = "" } = useParams();
  const [params] = useSearchParams();
  const got = useQuery({ queryKey: ["item", id], queryFn: () => fetchItem(id), staleTime: Infinity });
  const client = useQueryClient();
  const around = useNeighbors(id, params);
  const { overlays, hidden, toggleAll, toggle } = useOverlays();
  const go = useNavigate();
  const search = params.toString() ? `?${params.toString()}` : "";
  const open = (other?: string) => other && go(`/items/${other}${search}`, { replace: true });
  useKeys({ o: toggleAll, Escape: () => go(`/items${search}`), ArrowLeft: () => open(around.newer), ArrowRight: () => open(around.older) });
  if (got.isPending) return <Waiting what={`item ${id}`} />;
  if (got.isError) {
    return (
      <>
        <Heading title={`Item ${id}`} />
        <Trouble error={got.error} retry={() => void got.refetch()} />
        <Link to={`/items${search}`} className="px-5 text-base font-medium text-accent-text underline">
          All items
        </Link>
      </>
    );
  }
  const it = got.data;
  return (
    <>
      <Heading
        title={`Item ${it.id}`}
        action={
          <span className="flex gap-2">
            <Button shortcut="←" hint="Newer item" disabled={!around.newer} onClick={() => open(around.newer)}>
              Newer
            </Button>
            <Button shortcut="→" hint="Older item" disabled={!around.older} onClick={() => open(around.older)}>
              Older
            </Button>
          </span>
        }
      >
        <span>{when(it.time)}</span>
        <Link to={`/stations/${it.station}`} className="text-accent-text underline">
          {it.station}
        </Link>
        <span>
          {it.product} <span className="font-mono text-sm">{short(it.revision)}</span>
        </span>
      </Heading>
      <div className="grid grid-cols-[minmax(0,1fr)_24rem] max-lg:grid-cols-1">
        <section aria-label="Picture" className="min-w-0 border-r border-hairline">
          <div className="flex flex-wrap items-center gap-4 border-b border-hairline px-5 py-2">
            <Verdict item={it} size="lg" />
            <p className="min-w-0 flex-1 text-lg">{it.fault ? `${faultWords[it.fault] ?? it.fault}: ${it.sentence}` : it.sentence}</p>
            {it.picture && (
              <>
                <Button aria-pressed={overlays} onClick={toggleAll} hint={overlays ? "Hide overlays" : "Show overlays"} shortcut="o">
                  Overlays {overlays ? "on" : "off"}
                </Button>
                <ToSamples key={it.id} item={it} />
                <span className="w-52">
                  <Marks key={it.id} item={it} said={() => void client.invalidateQueries({ queryKey: ["item", id] })} />
                </span>
                <a href={pictureURL(it.id, "full")} download={`${it.id}.png`} className="inline-flex min-h-11 items-center rounded-md border border-hairline bg-sheet px-4 text-base font-medium text-ink no-underline hover:bg-wash">
                  Save picture
                </a>
              </>
            )}
          </div>
          <div className="bg-pane">
            <div className="mx-auto w-[min(100%,calc((100dvh-10rem)*4/3))]">
              <Picture item={it} overlays={overlays} hidden={hidden} detailed />
            </div>
          </div>
          {it.findings.map((f) => (
            <Rows key={f.check} finding={f} />
          ))}
        </section>
        <aside aria-label="Readings">
          <p className="border-b border-hairline px-4 py-3 text-sm text-ink-2">
            Judged in {it.took_ms.toFixed(1)} ms; the verdict stood {it.delay_ms.toFixed(0)} ms after the trigger.
          </p>
          {it.findings.length === 0 ? <p className="px-4 py-6 text-base text-ink-2">No check ran on this item: {it.sentence}</p> : <Findings findings={it.findings} hidden={hidden} onToggle={toggle} full />}
        </aside>
      </div>
    </>
  );
}

/** Makes the item's picture a sample of its recipe, and leads to trying the draft on it. */
function ToSamples({ item }: { item: ItemDetail }) {
  const [said, setSaid] = useState("");
  const k = { product: item.product, role: item.role };
  const client = useQueryClient();
  if (!item.product) return null;
  const add = (label: string) =>
    sampleOfItem(k, item.id, label)
      .then(() => setSaid(`A sample now, ${label}`))
      // Who labels it has said as well whether the verdict was right.
      .then(() => (label === "unlabeled" || item.review ? undefined : reviewItem(item.id, label === "good").then(() => client.invalidateQueries({ queryKey: ["item", item.id] }))))
      .catch((x: unknown) => setSaid(x instanceof Error ? x.message : String(x)))
      .finally(() => void client.invalidateQueries({ queryKey: ["samples", k.product, k.role] }));
  if (said)
    return (
      <span className="flex items-center gap-3 text-base">
        <span role="status">{said}</span>
        <Link to={`/recipes/${k.product}/${k.role}/checks?picture=${encodeURIComponent(`item:${item.id}`)}`} className="text-accent-text underline">
          Try the draft on it
        </Link>
      </span>
    );
  const labels = ["good", "bad", ...item.findings.filter((f) => f.outcome === "failed").map((f) => `bad: ${f.check}`), "rework", "unlabeled"];
  return (
    <select aria-label="Add to the samples" className="min-h-11 rounded-md border border-hairline bg-sheet px-3 text-base font-medium text-ink" value="" onChange={(e) => e.target.value && void add(e.target.value)}>
      <option value="">Add to samples…</option>
      {labels.map((l) => (
        <option key={l} value={l}>
          as {l}
        </option>
      ))}
    </select>
  );
}

/** The items before and after this one in the list that it was opened from. */
function useNeighbors(id: string, params: URLSearchParams): { newer?: string; older?: string } {
  const query = queryOf(params);
  const list = useQuery({ queryKey: ["around", query], queryFn: () => items({ ...query, limit: 500 }) });
  const all = list.data?.items ?? [];
  const at = all.findIndex((i) => i.id === id);
  return at < 0 ? {} : { newer: all[at - 1]?.id, older: all[at + 1]?.id };
}
