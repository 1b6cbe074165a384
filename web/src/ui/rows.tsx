import { useState } from "react";
import { ArrowDown, ArrowUp } from "lucide-react";
import type { Finding } from "../api/client";
import { num, readable } from "../lib/format";

type Row = NonNullable<Finding["rows"]>[number];

/** The order in which columns are read; others come behind. */
const order = ["what", "name", "parameter", "character", "state", "value", "unit", "grade", "expected", "x", "y", "area", "perimeter", "roundness", "elongation", "width", "height", "turn", "holes", "tone", "contrast", "missed"];

const isText = (rows: Row[], column: string): boolean => rows.some((r) => typeof r[column] === "string");

function compare(a: unknown, b: unknown): number {
  return typeof a === "number" && typeof b === "number" ? a - b : String(a ?? "").localeCompare(String(b ?? ""));
}

/**
 * What a check listed: spots with their figures and which bands the left-out ones
 * missed, edges, bumps, colors. A press on a heading sorts by it, greatest first; the
 * numbers stay those drawn on the picture.
 */
export function Rows({ finding }: { finding: Finding }) {
  const [by, setBy] = useState<{ column: string; up: boolean } | null>(null);
  const rows = finding.rows ?? [];
  if (rows.length === 0) return null;
  const first = rows[0]!;
  const columns = order.filter((c) => c in first).concat(Object.keys(first).filter((c) => !order.includes(c)));
  const numbered = rows.map((row, i) => ({ row, number: i + 1 }));
  if (by) numbered.sort((a, b) => compare(a.row[by.column], b.row[by.column]) * (by.up ? 1 : -1));
  const press = (column: string) => setBy((now) => (now?.column === column ? (now.up ? null : { column, up: true }) : { column, up: false }));
  return (
    <div className="overflow-x-auto" tabIndex={0} role="region" aria-label={`List of ${finding.check}`}>
      <table className="w-full border-collapse text-sm">
        <caption className="px-4 py-2 text-left text-base font-semibold">
          {finding.check}: {"missed" in first ? `${rows.length} found, ${rows.filter((r) => !r.missed).length} counted` : `${rows.length} listed`}
        </caption>
        <thead>
          <tr className="border-b border-hairline text-ink-2">
            <th className="px-3 py-1 text-right font-medium">#</th>
            {columns.map((c) => (
              <th key={c} aria-sort={by?.column === c ? (by.up ? "ascending" : "descending") : "none"} className={`px-1 py-1 font-medium ${isText(rows, c) ? "text-left" : "text-right"}`}>
                <button type="button" onClick={() => press(c)} className="inline-flex min-h-7 items-center gap-1 rounded px-2 hover:bg-wash">
                  {c === "missed" ? "left out because of" : c}
                  {by?.column === c && (by.up ? <ArrowUp size={14} aria-hidden /> : <ArrowDown size={14} aria-hidden />)}
                </button>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {numbered.map(({ row, number }) => (
            <tr key={number} className={`border-b border-hairline ${row.missed ? "text-ink-2" : ""}`}>
              <td className="px-3 py-1 text-right">{number}</td>
              {columns.map((c) => (
                <td key={c} className={`px-3 py-1 ${c === "missed" ? "text-left font-semibold text-reject" : isText(rows, c) ? "text-left" : "text-right"}`}>
                  {typeof row[c] === "number" ? num(row[c]) : readable(String(row[c] ?? ""))}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
