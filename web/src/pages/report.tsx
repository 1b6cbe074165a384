import { useQuery } from "@tanstack/react-query";
import { useNavigate, useParams, useSearchParams } from "react-router";
import { report, reportURL, ServiceError, type Report, type ReportQuery } from "../api/client";
import { percent, when } from "../lib/format";
import { pct, ReasonBars, stepName, TrendChart } from "../ui/charts";
import { useKeys } from "../ui/keys";
import { Button, Empty, Heading, Trouble, Waiting } from "../ui/parts";

const says: Record<string, string> = { higher: "more rejects, by more than chance", lower: "fewer rejects, by more than chance", chance: "may be chance", too_few: "too few to say" };

/** What there is to say of a shift, a run or a station, to read, print or take along. */
export function ReportPage() {
  const { of = "shift" } = useParams();
  const [params] = useSearchParams();
  const go = useNavigate();
  useKeys({ Escape: () => go("/statistics") });
  const query = Object.fromEntries(params) as ReportQuery;
  const kind = (["shift", "run", "station"].includes(of) ? of : "shift") as Report["of"];
  if (kind === "shift" && !query.shift) query.shift = "last";
  const q = useQuery({ queryKey: ["report", kind, query], queryFn: () => report(kind, query) });
  if (q.isPending) return <Waiting what="the report" />;
  if (q.isError)
    return q.error instanceof ServiceError && q.error.problem.status === 404 ? (
      <>
        <Heading title="Report" />
        <Empty title="Nothing to report" action={<Button onClick={() => go("/statistics")}>Go to the statistics</Button>}>
          {q.error.problem.detail} Choose a shift that is over in the statistics.
        </Empty>
      </>
    ) : (
      <Trouble error={q.error} retry={() => void q.refetch()} />
    );
  const r = q.data;
  const k = r.total.counts;
  const files = [
    ["pdf", "PDF"],
    ["xlsx", "Spreadsheet"],
    ["csv", "CSV"],
  ] as const;
  return (
    <>
      <Heading
        title={r.title}
        action={
          <span className="flex gap-2 print:hidden">
            {files.map(([f, word]) => (
              <a key={f} href={reportURL(kind, query, f)} className="inline-flex min-h-11 items-center rounded-md border border-hairline bg-sheet px-4 text-base font-medium text-ink no-underline hover:bg-wash">
                {word}
              </a>
            ))}
          </span>
        }
      >
        <span>{`${when(r.from)} to ${when(r.until)}${r.team ? `, team ${r.team}` : ""}`}</span>
      </Heading>
      <section aria-label="Summary" className="flex flex-wrap items-baseline gap-x-8 gap-y-2 border-b border-hairline px-5 py-4">
        <p className="m-0">
          <span className="text-2xl font-semibold">{pct(r.total.yield, 2)}</span> passed
          <span className="block text-sm text-ink-2">{`${pct(r.total.range.least, 2)} to ${pct(r.total.range.most, 2)} in 95 of 100 cases`}</span>
        </p>
        {(
          [
            ["inspected", k.inspected],
            ["passed", k.passed],
            ["reworked", k.reworked],
            ["rejected", k.rejected],
            ["of them faults", k.faults],
          ] as const
        ).map(([word, n]) => (
          <p key={word} className="m-0">
            <span className="text-xl font-semibold tabular-nums">{n}</span>
            <span className="block text-sm text-ink-2">{word}</span>
          </p>
        ))}
        <p className="m-0 min-w-64 flex-1 text-base">
          {r.before.inspected > 0 ? (
            <>
              {`In the 30 days before, ${percent(r.before.passed, r.before.inspected)} passed there: `}
              <b className={r.total.verdict === "higher" ? "text-reject" : r.total.verdict === "lower" ? "text-pass" : ""}>{says[r.total.verdict]}</b>.
            </>
          ) : (
            "Nothing was inspected there in the 30 days before."
          )}
          {r.false_rejects.of + r.missed.of > 0 && ` Of the items reviewed, ${r.false_rejects.n} of ${r.false_rejects.of} rejects were false, and ${r.missed.n} of ${r.missed.of} passes should have been rejected.`}
        </p>
      </section>
      <div className="grid grid-cols-2 border-b border-hairline max-lg:grid-cols-1">
        <section aria-label="Reasons" className="px-5 py-4">
          <h2 className="m-0 text-lg font-semibold">Reasons</h2>
          {r.reasons.length === 0 ? <p className="text-base text-ink-2">Everything passed.</p> : <ReasonBars bars={r.reasons} to={(reason) => `/items?${new URLSearchParams({ ...itemsOf(r), not_passed: "true", reason }).toString()}`} />}
        </section>
        <section aria-label="Trend" className="px-5 py-4">
          <h2 className="m-0 text-lg font-semibold">{`Share that did not pass, by ${r.step}`}</h2>
          {r.trend.length > 0 && <TrendChart steps={r.trend} />}
          <Odd r={r} />
        </section>
      </div>
      <Groups title="Stations" beside="Beside the 30 days before" groups={r.stations} />
      <Groups title="Products" groups={r.products} />
      <Groups title="Shifts" groups={r.shifts} />
      {r.runs.length > 0 && (
        <section aria-label="Runs" className="border-b border-hairline px-5 py-4">
          <h2 className="m-0 text-lg font-semibold">Runs</h2>
          <Table
            head={["Run", "Line", "Product", "Packed", "Begun", "Ended", "Items", "Passed"]}
            right={[6, 7]}
            rows={r.runs.map((x) => [
              String(x.id),
              x.line,
              x.product,
              Object.entries(x.order)
                .map(([n, v]) => `${n} ${v}`)
                .join(", "),
              when(x.begin),
              x.end ? when(x.end) : "goes on",
              String(x.counts.inspected),
              percent(x.counts.passed, x.counts.inspected),
            ])}
          />
        </section>
      )}
      {r.alarms.length > 0 && (
        <section aria-label="Alarms" className="px-5 py-4">
          <h2 className="m-0 text-lg font-semibold">Alarms</h2>
          <Table head={["Raised", "Line", "Alarm", "", "Acknowledged by"]} rows={r.alarms.map((a) => [when(a.time), a.line, a.text, a.held ? "held the line" : "", a.who])} />
        </section>
      )}
    </>
  );
}

/** What chooses the items that a report is of. */
const itemsOf = (r: Report): Record<string, string> => (r.of === "shift" ? { shift: r.key } : r.of === "run" ? { run: r.key } : { station: r.key, from: r.from, until: r.until });

function Odd({ r }: { r: Report }) {
  const odd = r.trend.filter((s) => s.point.rules.length > 0);
  return <p className="m-0 mt-1 text-base">{odd.length === 0 ? "Nothing stands out." : `${odd.length} of ${r.trend.length} stand out, the last one ${stepName(odd.at(-1)!.name)} (${pct(odd.at(-1)!.point.value)}).`}</p>;
}

function Groups({ title, groups, beside = "Beside the others" }: { title: string; groups: Report["stations"]; beside?: string }) {
  if (groups.length === 0) return null;
  return (
    <section aria-label={title} className="border-b border-hairline px-5 py-4">
      <h2 className="m-0 text-lg font-semibold">{title}</h2>
      <Table
        head={["", "Inspected", "Not passed", "Passed", "It lies in", beside, "Main reason"]}
        right={[1, 2, 3, 4]}
        rows={groups.map((g) => [g.name.replace("/", " "), String(g.counts.inspected), String(g.counts.inspected - g.counts.passed), pct(g.yield, 2), `${pct(g.range.least)} to ${pct(g.range.most)}`, says[g.verdict]!, g.top])}
      />
    </section>
  );
}

function Table({ head, rows, right = [] }: { head: string[]; rows: string[][]; right?: number[] }) {
  const cell = (i: number) => `px-2 py-1.5 ${right.includes(i) ? "text-right tabular-nums" : "text-left"}`;
  return (
    <div className="overflow-x-auto" tabIndex={0} role="region" aria-label={head.filter(Boolean).join(", ")}>
      <table className="mt-1 w-full border-collapse text-base">
        <thead>
          <tr className="text-sm text-ink-2">
            {head.map((h, i) => (
              <th key={i} className={`${cell(i)} font-medium`}>
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((r, k) => (
            <tr key={k} className="border-t border-hairline">
              {r.map((c, i) => (
                <td key={i} className={cell(i)}>
                  {c}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
