import { useState } from "react";
import { Button } from "./parts";

/** What is packed: lot, expiry, price and whatever else checks compare with, by name. */
export function OrderEditor({ order, save, hint }: { order: Record<string, string>; save: (order: Record<string, string>) => Promise<unknown>; hint: string }) {
  const [begun, setBegun] = useState({ order, rows: rowsOf(order) });
  const same = JSON.stringify(begun.order) === JSON.stringify(order);
  if (!same) setBegun({ order, rows: rowsOf(order) });
  const [trouble, setTrouble] = useState("");
  const [busy, setBusy] = useState(false);
  const rows = same ? begun.rows : rowsOf(order);
  const set = (next: [string, string][]) => setBegun({ order, rows: next });
  const now = Object.fromEntries(rows.filter(([n, v]) => n.trim() !== "" && v.trim() !== "").map(([n, v]) => [n.trim(), v.trim()]));
  const wrong = rows.find(([n]) => n.trim() !== "" && !/^[a-z][a-z0-9_]*$/.test(n.trim()))?.[0];
  const twice = new Set(rows.map(([n]) => n.trim()).filter(Boolean)).size < rows.filter(([n]) => n.trim()).length;
  const problem = wrong ? `${wrong} is no name; take small letters, digits and _` : twice ? "A name stands there twice." : trouble;
  const store = () => {
    setBusy(true);
    save(now)
      .then(() => setTrouble(""))
      .catch((e: unknown) => setTrouble(e instanceof Error ? e.message : String(e)))
      .finally(() => setBusy(false));
  };
  const input = "min-h-10 min-w-0 rounded-md border border-hairline bg-sheet px-2.5 text-base text-ink";
  return (
    <form
      aria-label="What is packed"
      className="flex flex-col gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        store();
      }}
    >
      <p className="m-0 text-sm text-ink-2">{hint}</p>
      {rows.map(([name, value], i) => (
        <div key={i} className="grid grid-cols-[7rem_1fr] gap-2">
          <input aria-label={`Name ${i + 1}`} className={`${input} font-mono text-sm`} placeholder="lot" value={name} onChange={(e) => set(rows.map((r, n) => (n === i ? [e.target.value, r[1]] : r)))} />
          <input aria-label={name ? `Value of ${name}` : `Value ${i + 1}`} className={input} value={value} onChange={(e) => set(rows.map((r, n) => (n === i ? [r[0], e.target.value] : r)))} />
        </div>
      ))}
      {problem && (
        <p role="alert" className="m-0 text-sm text-reject">
          {problem}
        </p>
      )}
      <div className="flex gap-2">
        <Button type="button" onClick={() => set([...rows, ["", ""]])}>
          Add a value
        </Button>
        <Button type="submit" kind="main" disabled={busy || wrong !== undefined || twice || JSON.stringify(now) === JSON.stringify(order)}>
          Take over
        </Button>
      </div>
    </form>
  );
}

/** The usual ones first, where nothing was said yet. */
function rowsOf(order: Record<string, string>): [string, string][] {
  const rows = Object.entries(order);
  return rows.length > 0
    ? rows
    : [
        ["lot", ""],
        ["expiry", ""],
      ];
}
