import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { beginChallenge, challenges, giveUpChallenge, sendPiece, type Challenge, type Line } from "../api/client";
import { when } from "../lib/format";
import { Button } from "../ui/parts";

const resultWords: Record<Challenge["result"], string> = { goes_on: "goes on", passed: "passed", failed: "failed", given_up: "given up" };

/** The piece that comes next; undefined where all are sent or no challenge goes on. */
export function nextPiece(l: Line) {
  return l.challenge?.result === "goes_on" ? l.challenge.sends.find((s) => s.seq === 0) : undefined;
}

/** What to do for the challenge that goes on, in one sentence; "" where none does. */
export function challengeStep(l: Line): string {
  if (l.challenge?.result !== "goes_on") return "";
  const s = nextPiece(l);
  if (!s) return "All pieces are sent. Wait for the last one.";
  const what = `the piece “${s.piece}”${s.of > 1 ? `, ${s.n} of ${s.of}` : ""}`;
  if (l.status !== "running") return `Start the line, then send ${what}.`;
  return l.proof.armed ? `Put ${what} on the belt now.` : `Send ${what}.`;
}

/** How a line stands with its challenges, and the way through one. */
export function ChallengePart({ l }: { l: Line }) {
  const client = useQueryClient();
  const [who, setWho] = useState(() => localStorage.getItem("who") ?? "");
  const done = (fresh: Line) => {
    client.setQueryData<Line[]>(["lines"], (old) => old?.map((x) => (x.id === fresh.id ? fresh : x)));
    void client.invalidateQueries({ queryKey: ["challenges", l.id] });
  };
  const begin = useMutation({
    mutationFn: () => beginChallenge(l.id, who.trim()),
    onSuccess: (fresh) => {
      localStorage.setItem("who", who.trim());
      done(fresh);
    },
  });
  const send = useMutation({ mutationFn: () => sendPiece(l.id), onSuccess: done });
  const giveUp = useMutation({ mutationFn: () => giveUpChallenge(l.id), onSuccess: done });
  const p = l.proof;
  if (!p.planned) return null;
  const c = l.challenge;
  const going = c?.result === "goes_on";
  const error = begin.error ?? send.error ?? giveUp.error;
  return (
    <section aria-label="Challenge" className="border-b border-hairline px-5 py-3">
      <h2 className="text-base font-semibold">Challenge</h2>
      {going ? (
        <>
          <p role="status" className="m-0 mt-1 text-2xl font-semibold">
            {challengeStep(l)}
          </p>
          <p className="m-0 mt-1 text-base text-ink-2">
            {p.armed ? "The next package at the trigger counts as this piece." : nextPiece(l) ? "Press the button when you are ready; the next package after it counts as this piece." : ""}
          </p>
          <div className="mt-2 flex gap-3">
            <Button kind="main" onClick={() => send.mutate()} disabled={p.armed || send.isPending || !nextPiece(l) || l.status !== "running"}>
              The next package is this piece
            </Button>
            <Button onClick={() => giveUp.mutate()} disabled={giveUp.isPending}>
              Give up
            </Button>
          </div>
        </>
      ) : (
        <form
          className="mt-1 flex flex-wrap items-end gap-3"
          onSubmit={(e) => {
            e.preventDefault();
            begin.mutate();
          }}
        >
          <p className={`m-0 min-w-64 flex-1 pb-2 text-lg ${p.overdue ? "font-semibold" : ""}`}>{proofWords(l)}</p>
          <label className="flex flex-col text-sm text-ink-2">
            Your name
            <input className="min-h-11 w-44 rounded-md border border-hairline bg-sheet px-3 text-base text-ink" value={who} onChange={(e) => setWho(e.target.value)} autoComplete="name" />
          </label>
          <Button type="submit" kind={p.due ? "main" : undefined} disabled={who.trim() === "" || begin.isPending} hint="Send pieces known to be good and bad through the line">
            Begin a challenge
          </Button>
        </form>
      )}
      {error && (
        <p role="alert" className="m-0 mt-2 text-base text-reject">
          {error.message}
        </p>
      )}
      {going && <Sends c={c} />}
      <Past l={l} />
    </section>
  );
}

/** How the line stands, in words. */
export function proofWords(l: Line): string {
  const p = l.proof;
  const by = p.by ? when(p.by) : "";
  if (p.overdue) return `Overdue: ${p.why}.${p.holds ? " Until it has passed, nothing else goes through." : ""}`;
  if (p.due) return `Due by ${by}: ${p.why}.`;
  const last = l.challenge?.result === "passed" && l.challenge.end ? `Passed at ${when(l.challenge.end)}, ${l.challenge.who} was there.` : "Proven.";
  return by ? `${last} The next one is due at ${by}: ${p.why}.` : last;
}

function Sends({ c }: { c: Challenge }) {
  return (
    <ol className="m-0 mt-3 list-none p-0">
      {c.sends.map((s, i) => (
        <li key={i} className="grid grid-cols-[14rem_9rem_1fr] gap-3 border-t border-hairline py-1.5 text-base max-sm:grid-cols-1 max-sm:gap-0">
          <span>
            {s.piece}, {s.n} of {s.of}
          </span>
          <span className="text-ink-2">must go to {s.want}</span>
          <span className={s.got === "" ? "text-ink-2" : s.ok ? "font-semibold text-pass" : "font-semibold text-reject"}>
            {s.seq === 0 ? "not sent yet" : s.got === "" ? `package ${s.seq}, on its way` : s.ok ? `right: package ${s.seq} went to ${s.got}` : `wrong: ${s.says}`}
          </span>
        </li>
      ))}
    </ol>
  );
}

function Past({ l }: { l: Line }) {
  const list = useQuery({ queryKey: ["challenges", l.id, l.challenge?.id, l.challenge?.result], queryFn: () => challenges(l.id), placeholderData: (old) => old });
  const past = (list.data ?? []).filter((c) => c.result !== "goes_on").slice(0, 5);
  if (past.length === 0) return null;
  return (
    <ul aria-label="Challenges before" className="m-0 mt-2 list-none p-0">
      {past.map((c) => (
        <li key={c.id} className="flex flex-wrap gap-x-4 border-t border-hairline py-1 text-base">
          <span className="text-ink-2">{when(c.begin)}</span>
          <span>{c.who}</span>
          <span className={`font-semibold ${c.result === "passed" ? "text-pass" : c.result === "failed" ? "text-reject" : "text-ink-2"}`}>{resultWords[c.result]}</span>
          <span className="min-w-0 flex-1 truncate text-ink-2">
            {c.sends
              .filter((s) => s.got !== "" && !s.ok)
              .map((s) => `${s.piece}: ${s.says}`)
              .join("; ")}
          </span>
        </li>
      ))}
    </ul>
  );
}
