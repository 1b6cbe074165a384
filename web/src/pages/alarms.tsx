import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Check } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { acknowledgeAlarm, alarmHistory, standingAlarms, type Alarm } from "../api/client";
import { when } from "../lib/format";
import { Button, Empty, Heading, Trouble, Waiting } from "../ui/parts";

const kindWords: Record<Alarm["kind"], string> = {
  rejects_in_row: "Rejects in a row",
  reject_rate: "Many rejects",
  not_confirmed: "Not seen leaving",
  unexpected: "Left though it should not",
  no_picture: "Camera lost",
  late: "Late verdicts",
  output: "Output does not switch",
  records: "Records cannot be written",
  disk: "Disk nearly full",
  picture: "Pictures drift",
  challenge: "Challenge",
  link: "Link",
  changeover: "Changeover refused",
};

/** What somebody has to look at now, and what there was before. */
export function AlarmsPage() {
  const now = useQuery({ queryKey: ["alarms"], queryFn: standingAlarms });
  return (
    <>
      <Heading title="Alarms">
        <span>An alarm is over when its cause is gone and somebody has said so.</span>
      </Heading>
      {now.isPending ? (
        <Waiting what="the alarms" />
      ) : now.isError ? (
        <Trouble error={now.error} retry={() => void now.refetch()} />
      ) : now.data.length === 0 ? (
        <Empty title="All is well">No alarm stands, and none waits for somebody. What raises one is described in site.yaml, with each line under alarms.</Empty>
      ) : (
        <Standing all={now.data} />
      )}
      <History seen={now.dataUpdatedAt} />
    </>
  );
}

function Standing({ all }: { all: Alarm[] }) {
  const [who, setWho] = useState(() => localStorage.getItem("who") ?? "");
  const waiting = all.filter((a) => !a.acknowledged);
  return (
    <section aria-label="What to look at" className="border-b border-hairline px-5 py-4">
      {waiting.length > 0 && (
        <label className="mb-3 block max-w-80 text-sm text-ink-2">
          Your name
          <input className="min-h-11 w-full rounded-md border border-hairline bg-sheet px-3 text-base text-ink" value={who} onChange={(e) => setWho(e.target.value)} autoComplete="name" />
        </label>
      )}
      <ul className="m-0 list-none p-0">
        {[...all].reverse().map((a) => (
          <One key={a.id} a={a} who={who.trim()} />
        ))}
      </ul>
    </section>
  );
}

function One({ a, who }: { a: Alarm; who: string }) {
  const client = useQueryClient();
  const [note, setNote] = useState("");
  const ack = useMutation({
    mutationFn: () => acknowledgeAlarm(a.id, who, note.trim()),
    onSuccess: () => {
      localStorage.setItem("who", who);
      void client.invalidateQueries({ queryKey: ["alarms"] });
    },
  });
  return (
    <li className={`mb-3 border-l-8 bg-sheet px-4 py-3 ${a.holds ? "border-l-reject" : "border-l-fault"}`}>
      <p className="m-0 flex flex-wrap items-baseline gap-x-4 text-lg font-semibold">
        {kindWords[a.kind]}
        <Where a={a} />
        <span className="text-base font-normal text-ink-2">
          {when(a.raised)}
          {a.times > 1 ? `, ${a.times} times` : ""}, {a.gone ? `gone since ${when(a.gone)}` : "still so"}
          {a.holds ? "; it has stopped the line" : ""}
        </span>
      </p>
      <p className="m-0 mt-1 text-lg first-letter:uppercase">{a.text}</p>
      {a.acknowledged ? (
        <p className="m-0 mt-1 text-base text-ink-2">
          {a.who} has seen it, {when(a.acknowledged)}
          {a.note ? `: ${a.note}` : ""}
        </p>
      ) : (
        <form
          className="mt-2 flex flex-wrap items-end gap-3"
          onSubmit={(e) => {
            e.preventDefault();
            ack.mutate();
          }}
        >
          <label className="min-w-60 flex-1 text-sm text-ink-2">
            What it was, and what you did (may stay empty)
            <input className="min-h-11 w-full rounded-md border border-hairline bg-paper px-3 text-base text-ink" value={note} onChange={(e) => setNote(e.target.value)} />
          </label>
          <Button type="submit" kind="main" disabled={who === "" || ack.isPending}>
            <Check size={18} aria-hidden />
            I have seen it
          </Button>
          {who === "" && <span className="pb-2 text-base text-ink-2">Give your name above first.</span>}
          {ack.error && (
            <span role="alert" className="pb-2 text-base text-reject">
              {ack.error.message}
            </span>
          )}
        </form>
      )}
    </li>
  );
}

function Where({ a }: { a: Alarm }) {
  const link = "font-normal text-base text-accent-text underline";
  if (a.station)
    return (
      <Link to={`/stations/${a.station}`} className={link}>
        {a.station}
      </Link>
    );
  if (a.line)
    return (
      <Link to={`/lines/${a.line}`} className={link}>
        {a.line}
      </Link>
    );
  return <span className="text-base font-normal text-ink-2">the whole service</span>;
}

function History({ seen }: { seen: number }) {
  const list = useQuery({ queryKey: ["alarm-history", seen], queryFn: alarmHistory, placeholderData: (old) => old });
  if (list.isPending) return <Waiting what="the history" />;
  if (list.isError) return <Trouble error={list.error} retry={() => void list.refetch()} />;
  const over = list.data.filter((a) => a.gone && a.acknowledged);
  const cell = "px-3 py-1.5 text-left align-top";
  return (
    <section aria-label="History" className="px-5 py-4">
      <h2 className="text-lg font-semibold">History</h2>
      {over.length === 0 ? (
        <p className="m-0 mt-1 text-base text-ink-2">Alarms that are over appear here, with who looked and what it was.</p>
      ) : (
        <div className="overflow-x-auto" tabIndex={0} role="region" aria-label="Alarms that are over">
          <table className="mt-1 w-full border-collapse text-base">
            <thead>
              <tr className="text-sm text-ink-2">
                {["Raised", "Gone", "Where", "What", "Seen by", "Note"].map((h) => (
                  <th key={h} className={`${cell} whitespace-nowrap font-medium`}>
                    {h}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {over.map((a) => (
                <tr key={a.id} className="border-t border-hairline">
                  <td className={`${cell} whitespace-nowrap`}>{when(a.raised)}</td>
                  <td className={`${cell} whitespace-nowrap`}>{a.gone ? when(a.gone) : ""}</td>
                  <td className={`${cell} whitespace-nowrap`}>{a.station || a.line || "service"}</td>
                  <td className={cell}>
                    <span className="font-semibold">{kindWords[a.kind]}.</span> {a.text}
                  </td>
                  <td className={`${cell} whitespace-nowrap`}>{a.who}</td>
                  <td className={cell}>{a.note}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </section>
  );
}
