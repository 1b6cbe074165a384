import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { ServiceError, stations } from "../../api/client";
import { diff, exportURL, release, releases, restore, retire, runRelease, type Key, type Release } from "../../api/workbench";
import { short, when } from "../../lib/format";
import { Button, Confirm, Trouble, Waiting } from "../../ui/parts";
import { Compare } from "./compare";
import { field } from "./form";
import { myName, sign, type Editing } from "./useDraft";

/** Release the draft, look at what was released, go back, compare. */
export function RevisionsTab({ k, e }: { k: Key; e: Editing }) {
  const client = useQueryClient();
  const name = ["releases", k.product, k.role];
  const list = useQuery({ queryKey: name, queryFn: () => releases(k) });
  const lines = useQuery({ queryKey: ["stations"], queryFn: stations });
  const [who, setWho] = useState(myName);
  const [note, setNote] = useState("");
  const [reason, setReason] = useState("");
  const [refused, setRefused] = useState("");
  const [trouble, setTrouble] = useState("");
  const [busy, setBusy] = useState(false);
  const [from, setFrom] = useState<string | null>(null);
  const [both, setBoth] = useState(false);
  const [retiring, setRetiring] = useState(false);
  const now = list.data?.[0]?.action === "release" ? list.data[0] : undefined;
  const compare = from ?? now?.revision ?? "";
  const changes = useQuery({ queryKey: ["diff", k, compare, e.draft.tag], queryFn: () => diff(k, compare, ""), enabled: compare !== "" });
  const signed = (v: string) => {
    setWho(v);
    sign(v);
  };
  const after = () => {
    for (const key of [name, ["recipes"], ["stations"], ["draft", k.product, k.role], ["diff"]]) void client.invalidateQueries({ queryKey: key });
  };
  const act = async (f: () => Promise<unknown>) => {
    setBusy(true);
    setTrouble("");
    try {
      await f();
      setRefused("");
      setReason("");
      setNote("");
    } catch (x) {
      if (x instanceof ServiceError && x.problem.wrong) setRefused(x.message);
      else setTrouble(x instanceof Error ? x.message : String(x));
    } finally {
      setBusy(false);
      after();
    }
  };
  const publish = () =>
    act(async () => {
      if (e.dirty && !(await e.save())) throw new Error("The draft could not be saved, so it was not released.");
      await release(k, { who, note, reason });
    });
  if (list.isPending) return <Waiting what="the revisions" />;
  if (list.isError) return <Trouble error={list.error} retry={() => void list.refetch()} />;
  const same = !e.dirty && e.draft.revision !== "" && e.draft.revision === now?.revision;
  const mine = (lines.data ?? []).filter((s) => s.role === k.role && s.product === k.product);
  return (
    <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)_26rem] overflow-y-auto max-lg:grid-cols-1">
      <section aria-label="History" className="min-w-0 border-r border-hairline px-5 py-3">
        <h2 className="m-0 text-lg font-semibold">{changes.data?.length === 0 && from === null ? "The draft is what is released" : `What the draft changes${compare ? ` against ${short(compare)}` : ""}`}</h2>
        {compare === "" ? (
          <p className="text-base text-ink-2">Nothing is released yet.</p>
        ) : changes.isError ? (
          <p className="text-base text-reject">{changes.error.message}</p>
        ) : (
          <ul className="my-2 pl-5 text-base" data-testid="changes">
            {(changes.data ?? []).map((c) => (
              <li key={c.text}>{c.text}</li>
            ))}
          </ul>
        )}
        {e.dirty && <p className="text-sm text-ink-2">Changes that are not saved yet are not in this list.</p>}
        {compare !== "" && (
          <details onToggle={(ev) => setBoth(ev.currentTarget.open)}>
            <summary className="cursor-pointer py-1 text-base font-medium">See both on a picture</summary>
            {both && <Compare k={k} e={e} revision={compare} />}
          </details>
        )}
        <h2 className="mb-1 mt-5 text-lg font-semibold">History</h2>
        <table className="w-full border-collapse text-base">
          <tbody>
            {list.data.map((r) => (
              <Row key={r.id} r={r} current={r.id === now?.id} compare={() => setFrom(r.revision)} back={r.revision !== now?.revision ? () => void act(() => restore(k, r.revision, who, `back to ${short(r.revision)}`)) : undefined} />
            ))}
          </tbody>
        </table>
        {list.data.length === 0 && <p className="text-base text-ink-2">Nothing was released yet. What you release appears here, with your name and note.</p>}
      </section>
      <aside aria-label="Release" className="flex flex-col gap-3 px-5 py-3">
        <h2 className="m-0 text-lg font-semibold">Release the draft</h2>
        <p className="m-0 text-base text-ink-2">It is tried on all samples first. What runs on the lines stays as it is until you give it to a station.</p>
        <label className="flex flex-col gap-1 text-sm text-ink-2">
          Your name
          <input className={field} value={who} maxLength={60} autoComplete="name" onChange={(ev) => signed(ev.target.value)} />
        </label>
        <label className="flex flex-col gap-1 text-sm text-ink-2">
          What is new
          <textarea className={`${field} min-h-20`} value={note} maxLength={2000} onChange={(ev) => setNote(ev.target.value)} />
        </label>
        {refused && (
          <div role="alert" className="border-l-4 border-l-reject bg-wash px-3 py-2">
            <p className="m-0 text-base font-semibold text-reject">Not released</p>
            <p className="m-0 text-base">{refused}</p>
            <label className="mt-2 flex flex-col gap-1 text-sm text-ink-2">
              Reason, if it shall be released all the same; it is kept with your name
              <textarea className={`${field} min-h-16`} value={reason} maxLength={2000} onChange={(ev) => setReason(ev.target.value)} />
            </label>
          </div>
        )}
        {trouble && (
          <p role="alert" className="m-0 text-base text-reject">
            {trouble}
          </p>
        )}
        <Button kind="main" disabled={busy || who.trim() === "" || same} onClick={() => void publish()}>
          {busy ? "Trying it on the samples…" : same ? "Released as it is" : reason.trim() ? "Release it all the same" : "Release"}
        </Button>
        {who.trim() === "" && !same && <p className="m-0 text-sm text-ink-2">Give your name to sign the release.</p>}
        <h2 className="mb-0 mt-4 text-lg font-semibold">Stations</h2>
        {mine.length === 0 && <p className="m-0 text-base text-ink-2">No station runs {k.product} now.</p>}
        {mine.map((s) => (
          <div key={s.id} className="flex items-center gap-3">
            <span className="flex-1 text-base">
              {s.name}{" "}
              <span className="text-sm text-ink-2">
                {s.status}, {short(s.revision)}
              </span>
            </span>
            {now && s.revision !== now.revision ? (
              <Button kind={busy ? "plain" : "main"} onClick={() => void act(() => runRelease(s.id))}>
                Run {short(now.revision)}
              </Button>
            ) : (
              <span className="text-sm text-ink-2">runs what is released</span>
            )}
          </div>
        ))}
        <div className="mt-4 flex flex-wrap gap-3">
          <a href={exportURL(k)} download className="inline-flex min-h-11 items-center rounded-md border border-hairline bg-sheet px-4 text-base font-medium text-ink no-underline hover:bg-wash">
            Save as a file
          </a>
          {now && <Button onClick={() => setRetiring(true)}>Retire</Button>}
        </div>
        <Confirm
          open={retiring}
          onOpenChange={setRetiring}
          title={`Retire ${k.product}?`}
          text={`${mine.length === 0 ? "No station runs it." : `${mine.map((s) => s.name).join(", ")} ${mine.length === 1 ? "runs" : "run"} it and will go on until stopped.`} No station can be started with it until something is released again. Nothing is deleted.`}
          yes="Retire"
          onYes={() => void act(() => retire(k, who, note))}
        />
      </aside>
    </div>
  );
}

function Row({ r, current, compare, back }: { r: Release; current: boolean; compare: () => void; back?: () => void }) {
  return (
    <tr className="border-b border-hairline align-top">
      <td className="whitespace-nowrap py-2 pr-3 text-ink-2">{when(r.time)}</td>
      <td className="py-2 pr-3">
        <span className={current ? "font-semibold" : ""}>{r.action === "release" ? (current ? "released" : "was released") : "retired"}</span> <span className="font-mono text-sm">{short(r.revision)}</span> by {r.who}
        {r.note && <span className="block text-sm text-ink-2">{r.note}</span>}
        {r.wrong > 0 && (
          <span className="block text-sm text-reject">
            although {r.wrong} samples were judged wrong: {r.reason}
          </span>
        )}
      </td>
      <td className="whitespace-nowrap py-1 text-right">
        <button type="button" className="min-h-9 rounded-md border border-hairline px-2.5 text-sm hover:bg-wash" onClick={compare}>
          Compare
        </button>{" "}
        {r.action === "release" && back && (
          <button type="button" className="min-h-9 rounded-md border border-hairline px-2.5 text-sm hover:bg-wash" onClick={back}>
            Go back to it
          </button>
        )}
      </td>
    </tr>
  );
}
