import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { deliverAgain, deliveries, dropDelivery, links, tags } from "../api/client";
import { clock, when } from "../lib/format";
import { Button, Empty, Heading, Trouble, Waiting } from "../ui/parts";

/** The links to machines outside: how they stand, and what goes out and comes in. */
export function LinksPage() {
  const [held, setHeld] = useState(false);
  const list = useQuery({ queryKey: ["links"], queryFn: links, refetchInterval: held ? false : 500 });
  return (
    <>
      <Heading
        title="Links"
        action={
          <Button aria-pressed={held} onClick={() => setHeld((h) => !h)} hint="Hold what is shown; the links go on">
            {held ? "Go on" : "Hold"}
          </Button>
        }
      >
        <span>What machines round the lines ask, and what they are told.</span>
      </Heading>
      {list.isPending ? (
        <Waiting what="the links" />
      ) : list.isError ? (
        <Trouble error={list.error} retry={() => void list.refetch()} />
      ) : list.data.length === 0 ? (
        <Empty title="No links yet">Links are described in site.yaml in the data folder, as in links: {"{"}textline: {"{"}listen: &quot;127.0.0.1:8450&quot;{"}}"}; restart the service after adding one, and what goes over it appears here.</Empty>
      ) : (
        list.data.map((l) => (
          <section key={l.name} aria-label={`Link ${l.name}`} className="border-b border-hairline px-5 py-4">
            <h2 className="m-0 text-lg font-semibold">
              <span className="font-mono">{l.name}</span> at <span className="font-mono">{l.address}</span>
            </h2>
            <p className="m-0 mt-1 text-base text-ink-2">
              {l.peers === 1 ? "1 is connected" : `${l.peers} are connected`}, {l.count} messages since the service started
            </p>
            {l.trouble && (
              <p role="alert" className="m-0 mt-2 border-l-8 border-l-fault pl-3 text-base">
                {l.trouble}
              </p>
            )}
            {l.messages.length === 0 ? (
              <p className="m-0 mt-2 text-base text-ink-2">The first message appears here.</p>
            ) : (
              <ol tabIndex={0} aria-label="Messages, newest first" className="m-0 mt-3 max-h-[28rem] list-none overflow-auto p-0 font-mono text-sm">
                {[...l.messages].reverse().map((m, i) => (
                  <li key={`${m.time}${i}`} className="grid grid-cols-[6rem_4rem_11rem_1fr] gap-3 border-t border-hairline py-1">
                    <span className="text-ink-2">{clock(m.time)}</span>
                    <span className={m.out ? "" : "font-semibold text-accent-text"}>{m.out ? "out" : "in"}</span>
                    <span className="truncate text-ink-2">{m.peer}</span>
                    <span className="whitespace-pre-wrap break-words">{m.text}</span>
                  </li>
                ))}
              </ol>
            )}
          </section>
        ))
      )}
      <Dead />
      <Tags held={held} />
    </>
  );
}

/** Messages that could not be delivered and were given up. */
function Dead() {
  const client = useQueryClient();
  const list = useQuery({ queryKey: ["deliveries"], queryFn: deliveries, refetchInterval: 5000 });
  const done = (fresh: Awaited<ReturnType<typeof deliveries>>) => client.setQueryData(["deliveries"], fresh);
  const again = useMutation({ mutationFn: deliverAgain, onSuccess: done });
  const drop = useMutation({ mutationFn: dropDelivery, onSuccess: done });
  if (!list.data || list.data.length === 0) return null;
  const error = again.error ?? drop.error;
  return (
    <section aria-label="Given up" className="border-b border-hairline px-5 py-4">
      <h2 className="m-0 text-lg font-semibold">Could not be delivered</h2>
      <p className="m-0 mt-1 text-base text-ink-2">These were tried for a day, or refused for good. Mend the receiver, then send them again.</p>
      {error && (
        <p role="alert" className="m-0 mt-2 text-base text-reject">
          {error.message}
        </p>
      )}
      <ul className="m-0 mt-2 list-none p-0">
        {list.data.map((d) => (
          <li key={d.id} className="flex flex-wrap items-center gap-3 border-t border-hairline py-2 text-base">
            <span className="min-w-0 flex-1">
              <span className="font-semibold">{d.to}</span>, {d.event}, {when(d.made)}, {d.tries} tries: {d.error}
              <span className="mt-1 block truncate font-mono text-sm text-ink-2">{d.body}</span>
            </span>
            <Button onClick={() => again.mutate(d.id)}>Send again</Button>
            <Button onClick={() => drop.mutate(d.id)}>Forget it</Button>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** What has a name that every link knows, and what it is now. */
function Tags({ held }: { held: boolean }) {
  const list = useQuery({ queryKey: ["tags"], queryFn: tags, refetchInterval: held ? false : 500 });
  if (!list.data || list.data.length === 0) return null;
  const cell = "px-3 py-1.5 text-left";
  return (
    <section aria-label="Tags" className="px-5 py-4">
      <h2 className="m-0 text-lg font-semibold">Tags</h2>
      <p className="m-0 mt-1 text-base text-ink-2">Names by which every link knows a reading, text, verdict, counter or limit.</p>
      <div className="overflow-x-auto" tabIndex={0} role="region" aria-label="Tags and what they are now">
        <table className="mt-2 w-full border-collapse text-base">
          <thead>
            <tr className="text-sm text-ink-2">
              {["Tag", "Now", "What it is", "May be written"].map((h) => (
                <th key={h} className={`${cell} font-medium`}>
                  {h}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {list.data.map((t) => (
              <tr key={t.name} className="border-t border-hairline">
                <td className={`${cell} font-mono`}>{t.name}</td>
                <td className={`${cell} tabular-nums ${t.valid ? "font-semibold" : "text-ink-2"}`}>{t.valid ? t.text || "empty" : "nothing yet"}</td>
                <td className={`${cell} text-ink-2`}>{t.what}</td>
                <td className={`${cell} text-ink-2`}>{t.write ? `${t.write.least} to ${t.write.most}` : ""}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}
