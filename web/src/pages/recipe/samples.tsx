import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Upload } from "lucide-react";
import { useMemo, useRef, useState } from "react";
import { addSample, labelSamples, removeSamples, samplePictureURL, samples, type Key, type Sample } from "../../api/workbench";
import { checksOf } from "../../lib/recipe";
import { useKeys } from "../../ui/keys";
import { Button, Confirm, Empty, Trouble, Waiting } from "../../ui/parts";
import { field } from "./form";
import type { Editing } from "./useDraft";

/** Files and folders that were dropped, each with its path, for folders tell labels. */
async function dropped(items: DataTransferItemList): Promise<{ file: File; path: string }[]> {
  const out: { file: File; path: string }[] = [];
  const walk = async (entry: FileSystemEntry): Promise<void> => {
    if (entry.isFile) {
      const file = await new Promise<File>((ok, no) => (entry as FileSystemFileEntry).file(ok, no));
      out.push({ file, path: entry.fullPath.replace(/^\//, "") });
      return;
    }
    const reader = (entry as FileSystemDirectoryEntry).createReader();
    for (;;) {
      const part = await new Promise<FileSystemEntry[]>((ok, no) => reader.readEntries(ok, no));
      if (part.length === 0) return;
      for (const x of part) await walk(x);
    }
  };
  // The list is emptied as soon as one waits.
  const entries = [...items].map((i) => i.webkitGetAsEntry()).filter((x) => x !== null);
  for (const x of entries) await walk(x);
  return out;
}

const tone = (label: string) => (label === "good" ? "text-pass" : label.startsWith("bad") ? "text-reject" : label === "rework" ? "text-rework" : "text-idle");

export function SamplesTab({ k, e, show }: { k: Key; e: Editing; show: (sample: string) => void }) {
  const client = useQueryClient();
  const name = ["samples", k.product, k.role];
  const list = useQuery({ queryKey: name, queryFn: () => samples(k) });
  const [chosen, setChosen] = useState<Set<string>>(new Set());
  const [last, setLast] = useState("");
  const [filter, setFilter] = useState("");
  const [going, setGoing] = useState<{ done: number; of: number } | null>(null);
  const [told, setTold] = useState<string[]>([]);
  const [over, setOver] = useState(false);
  const [sure, setSure] = useState(false);
  const input = useRef<HTMLInputElement>(null);
  const all = useMemo(() => list.data ?? [], [list.data]);
  const labels = useMemo(() => [...new Set(all.map((s) => s.label))].sort(), [all]);
  const shown = all.filter((s) => !filter || s.label === filter);
  const ids = checksOf(e.tree).map((c) => c.id);

  const bring = async (files: { file: File; path: string }[]) => {
    const wrong: string[] = [];
    setTold([]);
    setGoing({ done: 0, of: files.length });
    for (const [i, f] of files.entries()) {
      try {
        await addSample(k, f.file, f.path, "");
      } catch (x) {
        wrong.push(x instanceof Error ? x.message : f.path);
      }
      setGoing({ done: i + 1, of: files.length });
    }
    setGoing(null);
    setTold(wrong);
    void client.invalidateQueries({ queryKey: name });
  };
  const put = (next: Sample[]) => client.setQueryData(name, next);
  const label = (l: string) => {
    const names = [...chosen];
    if (names.length) void labelSamples(k, names, l).then(put).catch((x: unknown) => setTold([String(x)]));
  };
  const choose = (s: string, ev: { shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }) => {
    const at = shown.findIndex((x) => x.sample === s);
    const from = shown.findIndex((x) => x.sample === last);
    setLast(s);
    if (ev.shiftKey && from >= 0) return setChosen(new Set(shown.slice(Math.min(at, from), Math.max(at, from) + 1).map((x) => x.sample)));
    setChosen((c) => {
      const next = new Set(ev.ctrlKey || ev.metaKey || c.size > 1 || (c.size === 1 && !c.has(s)) ? c : []);
      if (!next.delete(s)) next.add(s);
      return next;
    });
  };
  useKeys({ a: () => setChosen(new Set(shown.map((s) => s.sample))), g: () => label("good"), b: () => label("bad"), w: () => label("rework"), Escape: () => setChosen(new Set()), Delete: () => chosen.size > 0 && setSure(true) });
  if (list.isPending) return <Waiting what="the samples" />;
  if (list.isError) return <Trouble error={list.error} retry={() => void list.refetch()} />;
  return (
    <div
      className={`flex min-h-0 flex-1 flex-col ${over ? "outline-4 -outline-offset-4 outline-accent outline-dashed" : ""}`}
      onDragOver={(ev) => {
        ev.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(ev) => {
        ev.preventDefault();
        setOver(false);
        void dropped(ev.dataTransfer.items).then(bring);
      }}
      data-testid="samples"
    >
      <div className="flex flex-wrap items-center gap-3 border-b border-hairline px-5 py-2">
        <input ref={input} type="file" multiple accept="image/png,image/jpeg,image/bmp,image/tiff" className="hidden" data-testid="sample-files" onChange={(ev) => void bring([...(ev.target.files ?? [])].map((file) => ({ file, path: file.name })))} />
        <Button kind={all.length === 0 ? "main" : "plain"} onClick={() => input.current?.click()}>
          <Upload size={18} aria-hidden /> Add pictures
        </Button>
        <label className="flex items-center gap-2 text-sm text-ink-2">
          Show
          <select className={`${field} w-44!`} value={filter} onChange={(ev) => setFilter(ev.target.value)}>
            <option value="">all {all.length}</option>
            {labels.map((l) => (
              <option key={l} value={l}>
                {l} ({all.filter((s) => s.label === l).length})
              </option>
            ))}
          </select>
        </label>
        <span className="flex-1" />
        {chosen.size > 0 && (
          <>
            <span className="text-base">{chosen.size} chosen:</span>
            <Button shortcut="g" hint="Label as good" onClick={() => label("good")}>
              Good
            </Button>
            <select aria-label="Label as bad" className={`${field} w-36!`} value="" onChange={(ev) => ev.target.value && label(ev.target.value)}>
              <option value="">Bad…</option>
              <option value="bad">bad</option>
              {ids.map((i) => (
                <option key={i} value={`bad: ${i}`}>
                  bad: {i}
                </option>
              ))}
            </select>
            <Button shortcut="w" hint="Label for rework" onClick={() => label("rework")}>
              Rework
            </Button>
            <Button hint="Take out of the samples" shortcut="Delete" onClick={() => setSure(true)}>
              Remove
            </Button>
          </>
        )}
      </div>
      {going && (
        <p role="status" className="m-0 border-b border-hairline px-5 py-2 text-base">
          Adding {going.done} of {going.of}… <progress value={going.done} max={going.of} aria-label="Pictures added" />
        </p>
      )}
      {told.length > 0 && (
        <div role="alert" className="border-b border-hairline px-5 py-2 text-base">
          <p className="m-0 font-semibold">{told.length === 1 ? "One picture was left out" : `${told.length} pictures were left out`}; the others are added.</p>
          <ul className="m-0 max-h-32 overflow-y-auto pl-5 text-sm text-ink-2">
            {told.map((x) => (
              <li key={x}>{x}</li>
            ))}
          </ul>
        </div>
      )}
      {all.length === 0 && !going ? (
        <Empty title="No samples yet">
          Drop pictures of good and bad items here, as many as you have; a dozen of each is a good start. Folders called good, bad and rework, or names like good-1.png and bad-tips-3.png, label them by themselves. Rejects can be added from the item log as well.
        </Empty>
      ) : (
        <ul className="m-0 grid list-none grid-cols-[repeat(auto-fill,minmax(11rem,1fr))] content-start gap-3 overflow-y-auto p-5">
          {shown.map((s) => (
            <li key={s.sample} className={`rounded-md border p-1.5 ${chosen.has(s.sample) ? "border-accent bg-wash outline-2 outline-accent" : "border-hairline"}`}>
              <button type="button" aria-pressed={chosen.has(s.sample)} onClick={(ev) => choose(s.sample, ev)} onDoubleClick={() => show(s.sample)} className="block w-full text-left">
                <span className="block aspect-4/3 overflow-hidden bg-pane">
                  <img src={samplePictureURL(k, s.sample, "thumb")} alt="" loading="lazy" className="h-full w-full object-contain" />
                </span>
                <span className="mt-1 block truncate text-sm" title={s.sample}>
                  {s.sample}
                </span>
                <span className={`block text-sm font-semibold ${tone(s.label)}`}>{s.label}</span>
              </button>
            </li>
          ))}
        </ul>
      )}
      <Confirm
        open={sure}
        onOpenChange={setSure}
        title={`Remove ${chosen.size === 1 ? "one sample" : `${chosen.size} samples`}?`}
        text="Their pictures are deleted from this recipe. Items on record keep theirs."
        yes="Remove"
        onYes={() =>
          void removeSamples(k, [...chosen])
            .then((next) => {
              put(next);
              setChosen(new Set());
            })
            .catch((x: unknown) => setTold([String(x)]))
        }
      />
    </div>
  );
}
