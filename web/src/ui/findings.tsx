import { EyeOff, Eye } from "lucide-react";
import type { Finding } from "../api/client";
import { band, num, readable } from "../lib/format";
import { findingWord, stateOf } from "../lib/verdict";
import { LimitBar } from "./limitbar";
import { colorOf, Mark } from "./marks";

/** Readings that have limits come first; the others only in full. */
function readings(f: Finding, full: boolean) {
  const all = Object.entries(f.readings);
  const bounded = all.filter(([, r]) => r.least !== undefined || r.most !== undefined);
  return full ? [...bounded, ...all.filter(([, r]) => r.least === undefined && r.most === undefined)] : bounded;
}

/** Whether the sentence only says again what its one reading shows. */
const repeats = (f: Finding): boolean => Object.entries(f.readings).some(([name, r]) => f.sentence === `${name} ${num(r.value)}`);

/** Every check with its outcome, its sentence and its readings against their limits. */
export function Findings(p: { findings: Finding[]; hidden: Set<string>; onToggle: (check: string) => void; full?: boolean }) {
  return (
    <ul className="m-0 list-none p-0">
      {p.findings.map((f) => {
        const state = stateOf(f);
        const off = p.hidden.has(f.check);
        return (
          <li key={f.check} className="border-b border-hairline px-4 py-2">
            <div className="flex items-center gap-2">
              <Mark state={state} size={18} />
              <span className="font-mono text-sm">{f.check}</span>
              <span className={`text-sm font-semibold ${colorOf(state)}`}>{findingWord(f)}</span>
              {f.measure_only && <span className="text-sm text-ink-2">measured only</span>}
              <button
                type="button"
                aria-pressed={!off}
                aria-label={`Overlay of ${f.check}`}
                title={off ? "Show its overlay" : "Hide its overlay"}
                onClick={() => p.onToggle(f.check)}
                className="ml-auto flex h-7 w-9 items-center justify-center rounded text-ink-2 hover:bg-wash"
              >
                {off ? <EyeOff size={16} /> : <Eye size={16} />}
              </button>
            </div>
            {(p.full || f.outcome !== "ok") && !repeats(f) && <p className="mt-0.5 text-sm text-ink-2">{f.sentence}</p>}
            {p.full &&
              Object.entries(f.texts).map(([name, text]) => (
                <p key={name} className="mt-0.5 break-all text-sm">
                  <span className="text-ink-2">{name.replaceAll("_", " ")}:</span> {readable(text)}
                </p>
              ))}
            {readings(f, p.full ?? false).map(([name, r]) => (
              <div key={name} className="mt-0.5 grid grid-cols-[4.5rem_5.5rem_1fr_auto] items-center gap-2 text-sm">
                <span className="text-ink-2">{name}</span>
                <span className="text-right font-semibold">
                  {num(r.value)} {r.unit}
                </span>
                <LimitBar reading={r} />
                <span className="min-w-20 text-ink-2">{band(r.least, r.most)}</span>
              </div>
            ))}
          </li>
        );
      })}
    </ul>
  );
}
