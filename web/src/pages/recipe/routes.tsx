import { Plus, X } from "lucide-react";
import { useEffect, useId } from "react";
import type { Tried } from "../../api/workbench";
import { checksOf, put } from "../../lib/recipe";
import { Button } from "../../ui/parts";
import { field, useTyped } from "./form";
import type { Editing } from "./useDraft";

/** Where an item goes that does not simply pass: rules in their order, the first that holds decides. */
export function RoutesForm({ e, tried }: { e: Editing; tried: Tried | null }) {
  const routes = (Array.isArray(e.whole["routes"]) ? e.whole["routes"] : []) as { to: string; when: string }[];
  const set = (next: { to: string; when: string }[]) => e.edit(put(e.whole, ["routes"], next.length ? next : undefined));
  const list = useId();
  const known = checksOf(e.whole).flatMap((c) => [`${c.id}.ok`, `${c.id}.failed`, ...Object.keys(tried?.findings.find((f) => f.check === c.id)?.readings ?? {}).map((r) => `${c.id}.${r}`)]);
  return (
    <section aria-label="Routes" className="border-t border-hairline px-4 py-3">
      <div className="flex items-center">
        <h2 className="m-0 flex-1 text-base font-semibold">Routes</h2>
        <Button className="px-2!" aria-label="Add a route" hint="Add a route" onClick={() => set([...routes, { to: "rework", when: `${checksOf(e.whole)[0]?.id ?? "item"}.failed` }])}>
          <Plus size={18} aria-hidden />
        </Button>
      </div>
      <p className="mb-2 mt-0 text-sm text-ink-2">The first rule that holds decides; without one, a failed check rejects.</p>
      <datalist id={list}>
        {known.map((w) => (
          <option key={w} value={w} />
        ))}
      </datalist>
      {routes.map((r, i) => {
        const p = tried?.problems.find((x) => x.field?.startsWith(`routes/${i}`));
        return (
          <div key={i} className="mb-2">
            <div className="grid grid-cols-[6rem_1fr_auto] gap-2">
              <Word label={`Route ${i + 1}`} value={r.to} set={(v) => set(put(routes, [i, "to"], v))} />
              <Word label={`Rule ${i + 1}`} value={r.when} list={list} mono set={(v) => set(put(routes, [i, "when"], v))} />
              <button type="button" aria-label={`Take route ${i + 1} out`} className="flex min-h-10 min-w-10 items-center justify-center rounded-md border border-hairline hover:bg-wash" onClick={() => set(put(routes, [i], undefined))}>
                <X size={16} aria-hidden />
              </button>
            </div>
            {p ? (
              <p className="m-0 text-sm text-reject">
                {p.what}
                {p.remedy ? `; ${p.remedy}` : ""}
              </p>
            ) : (
              tried && tried.problems.length === 0 && <p className="m-0 text-sm text-ink-2">{tried.route === r.to ? "decides on this picture" : "does not decide on this picture"}</p>
            )}
          </div>
        );
      })}
    </section>
  );
}

function Word({ label, value, set, list, mono }: { label: string; value: string; set: (v: string) => void; list?: string; mono?: boolean }) {
  const [now, setNow] = useTyped(value);
  // A rule is looked at while it is typed, a moment after the last key.
  useEffect(() => {
    if (now === value) return;
    const t = setTimeout(() => set(now), 400);
    return () => clearTimeout(t);
  });
  return <input aria-label={label} list={list} className={`${field} ${mono ? "font-mono text-sm" : ""}`} value={now} onChange={(e) => setNow(e.target.value)} />;
}
