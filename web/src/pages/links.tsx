import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { links } from "../api/client";
import { clock } from "../lib/format";
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
    </>
  );
}
