import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { draftPictureURL, samplePictureURL, samples, tryDraft, type Key, type Tried } from "../../api/workbench";
import { get } from "../../lib/recipe";
import { short } from "../../lib/format";
import { findingWord } from "../../lib/verdict";
import { Canvas } from "./canvas";
import { Drawn } from "./drawn";
import { field } from "./form";
import type { Editing } from "./useDraft";

/** A revision and the draft on the same picture, side by side, and what they read otherwise. */
export function Compare({ k, e, revision }: { k: Key; e: Editing; revision: string }) {
  const [picture, setPicture] = useState("");
  const list = useQuery({ queryKey: ["samples", k.product, k.role], queryFn: () => samples(k) });
  const reference = String(get(e.whole, ["picture", "reference"]) ?? "");
  const on = picture ? { sample: picture } : reference ? { file: reference } : {};
  const url = picture ? samplePictureURL(k, picture, "preview") : reference ? draftPictureURL(k, reference, "preview") : null;
  const old = useQuery({ queryKey: ["compare", k, revision, on], queryFn: () => tryDraft(k, e.tree, { ...on, revision }) });
  const now = useQuery({ queryKey: ["compare", k, JSON.stringify(e.tree), on], queryFn: () => tryDraft(k, e.tree, on) });
  const [chosen, setChosen] = useState("");
  const failed = old.error ?? now.error;
  const names = [...new Set([old.data, now.data].flatMap((t) => t?.findings.map((f) => f.check) ?? []))];
  const of = (t: Tried | undefined, id: string) => t?.findings.find((f) => f.check === id);
  const say = (t: Tried | undefined, id: string) => {
    const f = of(t, id);
    return f ? `${findingWord(f)}: ${f.sentence}` : t ? "not in it" : "…";
  };
  const other = names.filter((id) => say(old.data, id) !== say(now.data, id));
  return (
    <section aria-label="Both on one picture" className="mt-3">
      <label className="flex items-center gap-3 text-base">
        On
        <select className={`${field} w-72!`} value={picture} onChange={(ev) => setPicture(ev.target.value)}>
          <option value="">the reference picture</option>
          {(list.data ?? []).map((s) => (
            <option key={s.sample} value={s.sample}>
              {s.sample} ({s.label})
            </option>
          ))}
        </select>
      </label>
      {failed && <p className="text-base text-reject">{failed.message}</p>}
      <div className="mt-2 grid grid-cols-2 gap-2 max-lg:grid-cols-1">
        {(
          [
            [short(revision), old.data],
            ["The draft", now.data],
          ] as const
        ).map(([title, t]) => (
          <figure key={title} className="m-0 flex h-80 min-w-0 flex-col">
            <figcaption className="pb-1 text-base">
              <span className="font-semibold">{title}</span> <span className="text-ink-2">{t ? (t.problems[0]?.what ?? `${t.route}: ${t.sentence}`) : "judging…"}</span>
            </figcaption>
            <Canvas
              url={url}
              label={`Picture as judged by ${title}`}
              shapes={[]}
              chosen={-1}
              onChoose={() => {}}
              onChange={() => {}}
              editable={false}
              keys={false}
              overlay={(w, h) => (t && t.problems.length === 0 && w === t.width ? <Drawn tried={t} chosen={chosen || undefined} reference={false} shaped="" w={w} h={h} /> : null)}
            />
          </figure>
        ))}
      </div>
      {old.data && now.data && other.length === 0 && <p className="text-base text-ink-2">On this picture both say the same.</p>}
      {other.length > 0 && (
        <table className="mt-2 w-full border-collapse text-sm" data-testid="differences">
          <thead>
            <tr className="text-left text-ink-2">
              <th className="py-1 pr-3 font-medium">Check</th>
              <th className="pr-3 font-medium">{short(revision)}</th>
              <th className="font-medium">The draft</th>
            </tr>
          </thead>
          <tbody>
            {other.map((id) => (
              <tr key={id} className={`border-t border-hairline align-top ${chosen === id ? "bg-wash" : ""}`} onMouseEnter={() => setChosen(id)} onMouseLeave={() => setChosen("")}>
                <td className="py-1 pr-3 font-mono">{id}</td>
                <td className="pr-3">{say(old.data, id)}</td>
                <td>{say(now.data, id)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
