import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { latest, stations } from "../../api/client";
import { putPicture, sampleOfItem, samples, takePicture, tryDraft, type Choice, type Key, type Tried } from "../../api/workbench";
import { checksOf, moved, put, type Tree } from "../../lib/recipe";
import { findingWord } from "../../lib/verdict";
import { useKeys } from "../../ui/keys";
import { Button } from "../../ui/parts";
import { field } from "./form";
import type { Editing } from "./useDraft";

/** What the address says of a picture, as the interface names it; nothing is the reference. */
export const choiceOf = (picture: string): Choice => (picture.startsWith("sample:") ? { sample: picture.slice(7) } : picture.startsWith("item:") ? { item: picture.slice(5) } : {});

/** Which picture is looked at: the reference, a sample, the last one from the belt. */
export function PictureChoice({ k, value, set }: { k: Key; value: string; set: (p: string) => void }) {
  const list = useQuery({ queryKey: ["samples", k.product, k.role], queryFn: () => samples(k) });
  const [live, setLive] = useState(0);
  const [said, setSaid] = useState("");
  const all = list.data ?? [];
  const at = all.findIndex((s) => `sample:${s.sample}` === value);
  const step = (by: number) => {
    const next = all[Math.min(all.length - 1, Math.max(0, at + by))];
    if (next) set(`sample:${next.sample}`);
  };
  const takeLive = async () => {
    setSaid("");
    try {
      const on = (await stations()).filter((s) => s.role === k.role);
      const next = on.find((s) => s.product === k.product) ?? on[0];
      if (!next) return setSaid(`No station has the role ${k.role}.`);
      const it = await latest(next.id);
      if (!it) return setSaid(`${next.name} has judged nothing yet; start it.`);
      if (!it.picture) return setSaid(`The last item of ${next.name} has no picture: ${it.sentence}. Press once more.`);
      set(`item:${it.id}`);
      setLive((v) => v + 1);
    } catch (x) {
      setSaid(x instanceof Error ? x.message : String(x));
    }
  };
  useKeys({ ",": () => (at <= 0 ? set("reference") : step(-1)), ".": () => step(1), r: () => set("reference") });
  return (
    <>
      <label>
        <span className="sr-only">Picture</span>
        <select className={`${field} w-40!`} value={value} onChange={(ev) => set(ev.target.value)}>
          <option value="reference">reference</option>
          {value.startsWith("item:") && <option value={value}>{value.slice(5)} from the belt</option>}
          {all.map((s) => (
            <option key={s.sample} value={`sample:${s.sample}`}>
              {s.sample} ({s.label})
            </option>
          ))}
        </select>
      </label>
      <Button onClick={() => void takeLive()} hint="The last picture from the belt" data-live={live}>
        From the belt
      </Button>
      {said && (
        <span role="alert" className="text-sm text-reject">
          {said}
        </span>
      )}
    </>
  );
}

/** Makes the picture from the belt a sample, with the label that somebody gives it. */
export function KeepAsSample({ k, e, picture }: { k: Key; e: Editing; picture: string }) {
  const client = useQueryClient();
  const [label, setLabel] = useState("good");
  const [said, setSaid] = useState("");
  if (!picture.startsWith("item:")) return null;
  const keep = () =>
    sampleOfItem(k, picture.slice(5), label)
      .then((s) => {
        setSaid(`It is the sample ${s.sample} now.`);
        return client.invalidateQueries({ queryKey: ["samples", k.product, k.role] });
      })
      .catch((x: unknown) => setSaid(x instanceof Error ? x.message : String(x)));
  return (
    <span className="flex items-center gap-2">
      <select aria-label="What this item is" className={`${field} w-36!`} value={label} onChange={(ev) => setLabel(ev.target.value)}>
        <option value="good">good</option>
        <option value="rework">rework</option>
        {checksOf(e.whole).map((c) => (
          <option key={c.id} value={`bad: ${c.id}`}>
            bad: {c.id}
          </option>
        ))}
      </select>
      <Button onClick={() => void keep()} hint="Keep this picture as a sample with this label">
        Keep as sample
      </Button>
      {said && (
        <span role="status" className="text-sm text-ink-2">
          {said}
        </span>
      )}
    </span>
  );
}

/** What would be another reference: its file in the draft, and what it would change. */
interface Other {
  file: string;
  /** How far the item lies elsewhere in it; absent where the datum does not say. */
  lies?: { dx: number; dy: number; turn: number };
  before: Tried;
  after: Tried;
  shifted?: Tried;
}

/** Takes another picture as the reference, after showing what that changes. */
export function NewReference({ k, e, picture, done }: { k: Key; e: Editing; picture: string; done: () => void }) {
  const input = useRef<HTMLInputElement>(null);
  const [other, setOther] = useState<Other | null>(null);
  const [follow, setFollow] = useState(true);
  const [busy, setBusy] = useState(false);
  const [trouble, setTrouble] = useState("");
  const box = useRef<HTMLElement>(null);
  useEffect(() => {
    if (other) box.current?.focus();
  }, [other]);

  const tree = (o: Pick<Other, "file" | "lies">, withItem: boolean): Tree => {
    const t = put(e.whole, ["picture", "reference"], o.file);
    return withItem && o.lies ? { ...t, checks: checksOf(t).map((c) => moved(c, o.lies!.dx, o.lies!.dy)) } : t;
  };
  const tried = (whole: Tree, on: Choice) => tryDraft(k, e.sent(whole), on);
  const look = async (get: () => Promise<string>) => {
    setBusy(true);
    setTrouble("");
    try {
      const file = await get();
      const [before, there] = await Promise.all([tried(e.whole, {}), tried(e.whole, { file })]);
      const datum = checksOf(e.whole).find((c) => !c.on && before.findings.some((f) => f.check === c.id && f.readings["x"] && f.readings["angle"]));
      const [a, b] = [before, there].map((t) => t.findings.find((f) => f.check === datum?.id && f.outcome !== "fault" && f.outcome !== "not_judged")?.readings);
      const of = (r: typeof a, n: string) => r?.[n]?.value;
      const known = [a, b].every((r) => of(r, "x") !== undefined && of(r, "y") !== undefined);
      const lies = known ? { dx: of(b, "x")! - of(a, "x")!, dy: of(b, "y")! - of(a, "y")!, turn: (of(b, "angle") ?? 0) - (of(a, "angle") ?? 0) } : undefined;
      const o = { file, ...(lies ? { lies } : {}) };
      const [after, shifted] = await Promise.all([tried(tree(o, false), {}), lies ? tried(tree(o, true), {}) : undefined]);
      setOther({ ...o, before, after, ...(shifted ? { shifted } : {}) });
    } catch (x) {
      setTrouble(x instanceof Error ? x.message : String(x));
    } finally {
      setBusy(false);
    }
  };
  const upload = (f: File) => {
    const name = `reference-${Date.now().toString(36)}${/\.[^.]+$/.exec(f.name)?.[0].toLowerCase() ?? ".png"}`;
    return look(() => putPicture(k, name, f).then(() => name));
  };
  if (!other)
    return (
      <>
        {picture === "reference" ? (
          <Button disabled={busy} hint="Teach on another picture; what that changes is shown first" onClick={() => input.current?.click()}>
            {busy ? "Looking…" : "Replace…"}
          </Button>
        ) : (
          <Button disabled={busy} hint="Teach on this picture; what that changes is shown first" onClick={() => void look(() => takePicture(k, choiceOf(picture)).then((t) => t.name))}>
            {busy ? "Looking…" : "As reference…"}
          </Button>
        )}
        <input ref={input} type="file" accept=".png,.jpg,.jpeg,.bmp,.tif,.tiff" className="hidden" data-testid="new-reference" onChange={(ev) => {
            const f = ev.target.files?.[0];
            ev.target.value = "";
            if (f) void upload(f);
          }} />
        {trouble && (
          <span role="alert" className="text-sm text-reject">
            {trouble}
          </span>
        )}
      </>
    );
  const now = follow && other.shifted ? other.shifted : other.after;
  const rows = changes(other.before, now);
  const turned = Math.abs(other.lies?.turn ?? 0) > 1;
  return (
    <section ref={box} tabIndex={-1} aria-label="Another reference picture" className="basis-full rounded-md border border-hairline bg-sheet px-4 py-3">
      <h2 className="m-0 text-lg font-semibold">{now.problems.length > 0 ? "On this picture the recipe cannot be taught" : rows.length === 0 ? "This picture as reference changes nothing that is read" : `This picture as reference changes ${rows.length === 1 ? "one check" : `${rows.length} checks`}`}</h2>
      {now.problems.map((p) => (
        <p key={p.what} className="m-0 text-base text-reject">
          {p.field ? `${p.field}: ` : ""}
          {p.what}
        </p>
      ))}
      {other.lies && Math.hypot(other.lies.dx, other.lies.dy) > 0.5 && (
        <label className="mt-1 flex min-h-10 items-center gap-2 text-base">
          <input type="checkbox" className="h-5 w-5" checked={follow} onChange={(ev) => setFollow(ev.target.checked)} />
          The item lies {Math.hypot(other.lies.dx, other.lies.dy).toFixed(0)} px elsewhere in it: move all regions with it
        </label>
      )}
      {turned && <p className="m-0 text-base text-reject">The item lies turned by {other.lies!.turn.toFixed(0)}° there, and regions cannot be turned with it; take a picture in which it lies as here.</p>}
      {!other.lies && now.problems.length === 0 && <p className="m-0 text-base text-ink-2">No datum of the old recipe says where the item lies in it; look at the regions after taking it.</p>}
      {rows.length > 0 && (
        <div className="max-h-56 overflow-y-auto">
          <table className="mt-1 w-full border-collapse text-sm">
            <thead>
              <tr className="text-left text-ink-2">
                <th className="py-1 pr-3 font-medium">Check</th>
                <th className="pr-3 font-medium">On the old picture</th>
                <th className="font-medium">On the new one</th>
              </tr>
            </thead>
            <tbody>
              {rows.map((r) => (
                <tr key={r.check} className="border-t border-hairline align-top">
                  <td className="py-1 pr-3 font-mono">{r.check}</td>
                  <td className="pr-3">{r.was}</td>
                  <td className={r.worse ? "text-reject" : ""}>{r.is}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      {now.warnings
        .filter((w) => !other.before.warnings.some((b) => b.text === w.text && b.check === w.check))
        .map((w) => (
          <p key={w.check + w.text} className="m-0 mt-1 border-l-4 border-l-accent bg-wash px-3 py-1 text-sm">
            <span className="font-mono">{w.check}</span>: {w.text}
          </p>
        ))}
      <div className="mt-2 flex gap-2">
        <Button
          kind="main"
          onClick={() => {
            e.edit(tree(other, follow && other.shifted !== undefined));
            setOther(null);
            done();
          }}
        >
          Take it as reference
        </Button>
        <Button onClick={() => setOther(null)}>Keep the old one</Button>
      </div>
    </section>
  );
}

/** What is read otherwise: more than a hundredth, another verdict, another text. */
function changes(before: Tried, after: Tried): { check: string; was: string; is: string; worse: boolean }[] {
  const out = [];
  for (const a of after.findings) {
    const b = before.findings.find((f) => f.check === a.check);
    const differ = Object.keys(a.readings).filter((n) => {
      const [x, y] = [b?.readings[n]?.value, a.readings[n]!.value];
      return x === undefined || Math.abs(x - y) > Math.max(0.01 * Math.abs(x), 1e-9);
    });
    const texts = JSON.stringify(b?.texts) !== JSON.stringify(a.texts);
    if (b?.outcome === a.outcome && differ.length === 0 && !texts) continue;
    const same = b?.outcome === a.outcome && !texts;
    const say = (f: typeof a) => (same ? differ.map((n) => `${n.replaceAll("_", " ")} ${Number(f.readings[n]?.value.toPrecision(4))} ${f.readings[n]?.unit ?? ""}`.trim()).join(", ") : `${findingWord(f)}: ${f.sentence}`);
    out.push({ check: a.check, was: b ? say(b) : "–", is: say(a), worse: a.outcome !== "ok" && b?.outcome === "ok" });
  }
  return out;
}
