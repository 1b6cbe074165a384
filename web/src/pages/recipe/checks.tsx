import { useQuery, useQueryClient } from "@tanstack/react-query";
import { ArrowDown, ArrowUp, ClipboardCopy, Copy, Power, Trash2 } from "lucide-react";
import { useCallback, useEffect, useMemo, useState } from "react";
import { pictureURL, type Finding } from "../../api/client";
import { draftPictureURL, kinds, orderOfSamples, putPicture, samplePictureURL, setOrderOfSamples, type Key } from "../../api/workbench";
import { checksOf, get, gridOf, isTree, placesOf, put, shapesOf, starter, withShape, type Check, type Shape, type Tree } from "../../lib/recipe";
import { readable } from "../../lib/format";
import { findingWord, stateOf } from "../../lib/verdict";
import { typing, useKeys } from "../../ui/keys";
import { colorOf } from "../../ui/marks";
import { OrderEditor } from "../../ui/order";
import { Button, Empty } from "../../ui/parts";
import { Rows } from "../../ui/rows";
import type { Painting } from "./brush";
import { Canvas } from "./canvas";
import { ColorChart } from "./colorchart";
import { Drawn } from "./drawn";
import { Around, CheckForm, field } from "./form";
import { CheckList, findingOf } from "./list";
import { choiceOf, KeepAsSample, NewReference, PictureChoice } from "./pictures";
import { RoutesForm } from "./routes";
import { layout, useChecks } from "./useChecks";
import { useTried, type Editing } from "./useDraft";

/** Most places that a color is picked by. */
const mostPlaces = 50;

/** The checks of a recipe on a picture: chosen, drawn, set, and judged at once. */
export function ChecksTab({ k, e, picture, setPicture }: { k: Key; e: Editing; picture: string; setPicture: (p: string) => void }) {
  const list = useQuery({ queryKey: ["kinds"], queryFn: kinds, staleTime: Infinity });
  const c = useChecks(k, e);
  const { check, index } = c;
  const [size, setSize] = useState({ w: 1280, h: 960 });
  const [pixels, setPixels] = useState<CanvasRenderingContext2D | null>(null);
  const byPixels = check?.kind === "color.amount" || check?.kind === "presence.tone";
  const [again, setAgain] = useState(0);
  const { tried, pending, error } = useTried(k, e.tree, { ...choiceOf(picture), ...(check && byPixels ? { select: check.id } : {}) }, again);
  const onReference = picture === "reference";
  const reference = String(get(e.whole, ["picture", "reference"]) ?? "");
  const url = picture.startsWith("sample:") ? samplePictureURL(k, picture.slice(7), "preview") : picture.startsWith("item:") ? pictureURL(picture.slice(5), "preview") : reference ? draftPictureURL(k, reference, "preview") : null;
  const sized = useCallback((w: number, h: number) => setSize((s) => (s.w === w && s.h === h ? s : { w, h })), []);

  const { shapes, owner, first } = useMemo(() => (onReference ? layout(c.checks, index) : { shapes: [], owner: [], first: 0 }), [onReference, c.checks, index]);
  const mine = shapes.length - first;
  const groupKey = c.group.join(" ");
  const group = useMemo(() => new Set(shapes.filter((_, i) => groupKey.split(" ").includes(c.checks[owner[i] ?? 0]?.id ?? ""))), [shapes, owner, groupKey, c.checks]);
  const chooseShape = (i: number, more: boolean) => {
    const of = owner[i];
    if (of === undefined) return c.many ? c.choose(index, -1) : c.setShape(-1);
    if (more) return c.toggle(of);
    if (of === index && !c.many) c.setShape(i - first);
    else c.choose(of, Math.max(0, shapesOf(c.checks[of]!).indexOf(shapes[i]!)));
  };

  const datums = c.checks.filter((x) => list.data?.find((i) => i.kind === x.kind)?.datum).map((x) => x.id);
  const toReference = () => !onReference && setPicture("reference");
  const add = (kind: string) => {
    c.add(starter(kind, c.checks, datums[0], size.w, size.h));
    toReference();
  };
  const toggle = () => c.each((x) => put(x, ["off"], check?.["off"] === true ? undefined : true));

  const [painting, setPainting] = useState<Painting | null>(null);
  const paint = (name: string, hole: boolean) => {
    if (!check) return;
    const was = get(check, [name]);
    const now = !hole && isTree(was) && typeof was["mask"] === "string" ? was["mask"] : undefined;
    toReference();
    setPainting({
      title: hole ? "Paint what is left out" : `Paint the ${name.replaceAll("_", " ")}`,
      url: now ? draftPictureURL(k, now, "full") : undefined,
      cancel: () => setPainting(null),
      done: (mask) => {
        setPainting(null);
        const file = `${check.id}-${name}-${Date.now().toString(36)}.png`;
        putPicture(k, file, mask)
          .then(() => {
            const holes = isTree(was) && Array.isArray(was["without"]) ? (was["without"] as Tree[]) : [];
            const next = hole ? { ...(was as Tree), without: [...holes, { mask: file }] } : { mask: file, ...(holes.length ? { without: holes } : {}) };
            c.set(put(check, [name], next));
            c.setTrouble("");
          })
          .catch((x: unknown) => c.setTrouble(x instanceof Error ? x.message : String(x)));
      },
    });
  };

  const around = useMemo(
    () => ({
      texts: c.checks.flatMap((x) => (list.data?.find((i) => i.kind === x.kind)?.texts ?? []).map((t) => `${x.id}.${t}`)),
      addPicture: async (f: File) => {
        const name = f.name.replace(/[^A-Za-z0-9 ._-]/g, "-").replace(/^[^A-Za-z0-9]+/, "") || "print.png";
        await putPicture(k, name, f);
        return name;
      },
    }),
    [c.checks, list.data, k],
  );

  // Places are picked by pressing or stroking on the reference picture, for a setting of one check.
  const [picking, setPicking] = useState<{ check: string; name: string } | null>(null);
  const pickingNow = onReference && picking && picking.check === check?.id ? picking.name : null;
  const pick = (name: string) => {
    setPicking(check && pickingNow !== name ? { check: check.id, name } : null);
    toReference();
  };
  const picked = (places: [number, number, number][]) => {
    if (!check || !pickingNow) return;
    const was = Array.isArray(check[pickingNow]) ? (check[pickingNow] as Tree[]) : [];
    const tenth = (v: number) => Math.round(v * 10) / 10;
    c.set(put(check, [pickingNow], [...was, ...places.map((q) => ({ circle: q.map(tenth) }))].slice(0, mostPlaces)));
  };

  const step = (by: number) => c.choose((index + by + c.checks.length) % c.checks.length);
  useKeys({ n: () => step(1), p: () => step(-1), Delete: c.remove, d: c.duplicate, c: () => mine > 0 && c.setShape((s) => (s + 1) % mine) });
  useEffect(() => {
    const keys = (ev: KeyboardEvent) => {
      if (ev.key === "Escape" && pickingNow) {
        ev.stopImmediatePropagation();
        return setPicking(null);
      }
      if (ev.key === "Escape" && c.many) {
        ev.stopImmediatePropagation();
        return c.choose(index);
      }
      if (!(ev.ctrlKey || ev.metaKey) || typing(ev)) return;
      const f = { c: c.copy, x: () => (c.copy(), c.remove()), v: () => void c.paste(), a: () => c.gather(c.checks.map((x) => x.id)) }[ev.key];
      if (!f || (ev.key === "c" && String(getSelection()) !== "")) return;
      ev.preventDefault();
      f();
    };
    window.addEventListener("keydown", keys, true);
    return () => window.removeEventListener("keydown", keys, true);
  });

  const shaped = shapes.length > 0 ? c.checks.map((x) => x.id).join(" ") : "";
  const overlay = (w: number, h: number) => (tried && tried.problems.length === 0 && w === tried.width ? <Drawn tried={tried} chosen={check?.id} reference={onReference} shaped={shaped} w={w} h={h} /> : null);
  const grid = check && gridOf(check);
  const main = check && shapesOf(check).find((s) => s.role === "region" || s.form === "arrow");
  const ghosts =
    onReference && check && grid && main && !c.many
      ? {
          shape: main,
          at: placesOf(grid),
          step: (dx: number, dy: number, done: boolean) => {
            const tenth = (v: number, n: number, was: number) => (n > 1 ? Math.round((10 * v) / (n - 1)) / 10 : was);
            c.set(put(check, ["copies", "step"], [tenth(dx, grid.columns, grid.step[0]), tenth(dy, grid.rows, grid.step[1])]), !done);
          },
        }
      : undefined;

  const problems = tried?.problems ?? [];
  const wrong = (i: number) => problems.some((x) => x.field?.startsWith(`checks/${i}/`) || x.field === `checks/${i}`);
  const general = problems.find((p) => !p.field?.startsWith(`checks/${index}/`) && p.field !== `checks/${index}`);
  return (
    <div className="grid min-h-0 flex-1 grid-cols-[15rem_minmax(0,1fr)_22rem] max-lg:grid-cols-[12rem_minmax(0,1fr)] max-lg:grid-rows-[minmax(24rem,1fr)_auto]">
      <CheckList c={c} tried={tried} kinds={list.data ?? []} wrong={wrong} add={add} />
      <section aria-label="Picture" className="flex min-h-0 min-w-0 flex-col border-r border-hairline">
        <div className="flex flex-wrap items-center gap-x-3 gap-y-2 border-b border-hairline px-4 py-2">
          <PictureChoice k={k} value={picture} set={setPicture} />
          <KeepAsSample key={`keep ${picture}`} k={k} e={e} picture={picture} />
          <NewReference key={picture} k={k} e={e} picture={picture} done={toReference} />
          <p role="status" className="m-0 min-w-32 flex-1 text-base">
            {error ? (
              <span className="text-reject">{error instanceof Error ? error.message : "No answer"}</span>
            ) : general ? (
              <span className="text-reject">
                {general.field ? `${general.field}: ` : ""}
                {general.what}
                {general.remedy ? `; ${general.remedy}` : ""}
              </span>
            ) : tried && problems.length === 0 ? (
              <>
                <span className="font-semibold">{tried.route}</span> <span className="text-ink-2">{tried.sentence}</span>
              </>
            ) : null}
            <span className="whitespace-nowrap pl-2 text-sm text-ink-2">{pending ? "judging…" : tried && tried.judge_ms > 0 ? `${tried.judge_ms.toFixed(1)} ms` : ""}</span>
          </p>
        </div>
        {pickingNow && (
          <p role="status" className="m-0 flex items-center gap-3 border-b border-hairline bg-wash px-4 py-2 text-base">
            <span className="flex-1">{pickingNow === "unpicked" ? "Press or stroke on what must not be taken for the color." : "Press or stroke on the color."}</span>
            <Button onClick={() => setPicking(null)} hint="End picking" shortcut="Escape">
              Done
            </Button>
          </p>
        )}
        <Canvas
          url={url}
          label="Picture with the regions of the checks"
          overlay={overlay}
          shapes={shapes}
          chosen={c.shape < 0 || c.many || mine === 0 ? -1 : first + Math.min(c.shape, mine - 1)}
          group={group}
          onChoose={chooseShape}
          onMove={c.move}
          onFrame={onReference ? c.frame : undefined}
          onPick={pickingNow ? picked : undefined}
          ghosts={ghosts}
          editable={onReference}
          painting={painting}
          onSize={sized}
          onPixels={setPixels}
          onChange={(s, numbers, turn, done) => drag(c, checksOf(e.before), owner[shapes.indexOf(s)] ?? index, s, numbers, turn, done)}
        />
        {!onReference && <p className="m-0 border-t border-hairline px-4 py-2 text-sm text-ink-2">Regions are drawn on the reference picture; choose it to move them.</p>}
      </section>
      <aside aria-label="Settings" className="min-h-0 overflow-y-auto max-lg:col-span-2 max-lg:border-t max-lg:border-hairline">
        {c.many ? (
          <SeveralChecks c={c} datums={datums} toggle={toggle} />
        ) : check ? (
          <>
            <Actions c={c} toggle={toggle} />
            <Said c={c} tried={tried} problems={problems.filter((p) => p.field === `checks/${index}`).map((p) => p.what ?? "")} />
            {check.kind === "color.amount" && onReference && <ColorChart check={check} pixels={pixels} learned={tried?.learned as Tree | undefined} change={(x, passing) => c.set(x, passing)} />}
            <Around value={around}>
            <CheckForm
              key={`${index}.${check.kind}`}
              check={check}
              base={e.base && checksOf(e.base).find((x) => x.id === check.id)}
              kind={list.data?.find((i) => i.kind === check.kind)}
              datums={datums}
              change={(x) => c.set(x)}
              problems={(f) => {
                const p = problems.find((x) => x.field === `checks/${index}/${f}` || x.field?.startsWith(`checks/${index}/${f}/`));
                return p && (p.remedy ? `${p.what}; ${p.remedy}` : p.what);
              }}
              readings={readingsOf(findingOf(tried, check))}
              paint={paint}
              pick={pick}
              picking={pickingNow}
            />
            </Around>
          </>
        ) : (
          <Empty title="Nothing chosen">Add a check at the left; its settings appear here.</Empty>
        )}
        {c.checks.some((x) => x.kind.startsWith("print.")) && <Packed k={k} again={() => setAgain((n) => n + 1)} />}
        <RoutesForm e={e} tried={tried} />
      </aside>
    </div>
  );
}

/** What the samples were packed for: with it {lot} and the like are compared here. */
function Packed({ k, again }: { k: Key; again: () => void }) {
  const client = useQueryClient();
  const name = ["order", k.product, k.role];
  const order = useQuery({ queryKey: name, queryFn: () => orderOfSamples(k) });
  if (!order.data) return null;
  return (
    <details className="border-t border-hairline px-4 py-2">
      <summary className="cursor-pointer py-1 text-base font-medium">What is packed, to try with</summary>
      <OrderEditor
        order={order.data}
        hint="What expected texts as {lot} or {date+18m:MM/yy} stand for while you try the recipe here and on the samples. Days as in 2027-03-31. A station is told its own."
        save={(o) =>
          setOrderOfSamples(k, o).then((o) => {
            client.setQueryData(name, o);
            again();
          })
        }
      />
    </details>
  );
}

const readingsOf = (f: Finding | undefined) => Object.fromEntries(Object.entries(f?.readings ?? {}).map(([n, r]) => [n, r.value]));

type Checks = ReturnType<typeof useChecks>;

/** Puts a dragged shape into the check that it belongs to, from how that was before the drag. */
function drag(c: Checks, before: Check[], of: number, s: Shape, numbers: number[], turn: number, done: boolean) {
  const was = before[of];
  if (!was) return;
  if (of !== c.index) c.choose(of, Math.max(0, shapesOf(was).findIndex((x) => x.path.join() === s.path.join())));
  c.put(of, withShape(was, s, numbers, turn), !done);
}

const tool = "min-h-9! min-w-9! px-1.5!";

/** What can be done with one check. */
function Actions({ c, toggle }: { c: Checks; toggle: () => void }) {
  const { check } = c;
  const on = check?.["off"] !== true;
  return (
    <div className="flex flex-wrap items-center gap-1 border-b border-hairline px-4 py-2">
      <span className="min-w-0 basis-full truncate font-mono text-sm text-ink-2">{check?.kind}</span>
      {!c.fixed && (
        <>
          <Button className={tool} hint="Earlier: the reason of an item is its first failed check" aria-label="Earlier" disabled={c.index === 0} onClick={() => c.shift(-1)}>
            <ArrowUp size={18} aria-hidden />
          </Button>
          <Button className={tool} hint="Later" aria-label="Later" disabled={c.index === c.checks.length - 1} onClick={() => c.shift(1)}>
            <ArrowDown size={18} aria-hidden />
          </Button>
        </>
      )}
      <Button className={tool} hint={on ? "Switch it off" : "Switch it on"} aria-label="On" aria-pressed={on} onClick={toggle}>
        <Power size={18} aria-hidden />
      </Button>
      <Button className={tool} hint="Copy, to paste it here or into another recipe" shortcut="Ctrl C" aria-label="Copy to paste elsewhere" onClick={c.copy}>
        <ClipboardCopy size={18} aria-hidden />
      </Button>
      {!c.fixed && (
        <>
          <Button className={tool} hint="Another one like it" shortcut="d" aria-label="Copy this check" onClick={() => c.duplicate()}>
            <Copy size={18} aria-hidden />
          </Button>
          <Button className={tool} hint="Take this check out" shortcut="Delete" aria-label="Take this check out" onClick={c.remove}>
            <Trash2 size={18} aria-hidden />
          </Button>
        </>
      )}
    </div>
  );
}

/** What the check says of the picture, and what is wrong with it. */
function Said({ c, tried, problems }: { c: Checks; tried: ReturnType<typeof useTried>["tried"]; problems: string[] }) {
  const finding = c.check && findingOf(tried, c.check);
  return (
    <>
      {finding && (
        <p className="m-0 border-b border-hairline px-4 py-2 text-base">
          <span className={`font-semibold ${colorOf(stateOf(finding))}`}>{findingWord(finding)}</span> {finding.sentence}
        </p>
      )}
      {finding?.texts["text"] && (c.check?.kind === "print.text" || c.check?.kind === "print.code") && c.check["expect"] !== finding.texts["text"] && (
        <p className="m-0 border-b border-hairline px-4 py-2">
          <Button onClick={() => c.check && c.set(put(c.check, ["expect"], finding.texts["text"]?.replaceAll("{", "{{").replaceAll("\u001d", "{gs}")))} hint="What it says now is what it must say">
            Expect just this
          </Button>
        </p>
      )}
      {finding && c.check?.kind.startsWith("print.") && Object.keys(finding.texts).length > 0 && (
        <dl aria-label="What is read" className="m-0 grid grid-cols-[6rem_1fr] gap-x-2 border-b border-hairline px-4 py-2 text-sm">
          {Object.entries(finding.texts).map(([name, text]) => (
            <div key={name} className="contents">
              <dt className="text-ink-2">{name.replaceAll("_", " ")}</dt>
              <dd className="m-0 break-all font-mono">{readable(text)}</dd>
            </div>
          ))}
        </dl>
      )}
      {finding && c.check?.kind.startsWith("print.") && <Rows finding={finding} />}
      {tried?.warnings
        .filter((w) => w.check === c.check?.id)
        .map((w) => (
          <p key={w.text} className="m-0 border-b border-hairline border-l-4 border-l-accent bg-wash px-4 py-2 text-sm">
            {w.text}
          </p>
        ))}
      {problems.map((p) => (
        <p key={p} className="m-0 border-b border-hairline px-4 py-2 text-sm text-reject">
          {p}
        </p>
      ))}
    </>
  );
}

/** What can be done with several checks at once. */
function SeveralChecks({ c, datums, toggle }: { c: Checks; datums: string[]; toggle: () => void }) {
  const chosen = c.checks.filter((x) => c.group.includes(x.id));
  return (
    <section aria-label="Several checks" className="flex flex-col gap-3 px-4 py-3">
      <h2 className="m-0 text-lg font-semibold">{chosen.length} checks chosen</h2>
      <p className="m-0 font-mono text-sm text-ink-2">{chosen.map((x) => x.id).join(", ")}</p>
      <p className="m-0 text-base text-ink-2">Drag one of them on the picture, or use the arrow keys: all move together. Escape ends.</p>
      <label className="flex flex-col gap-1 text-sm text-ink-2">
        All ride on
        <select className={field} value="" onChange={(ev) => c.each((x) => (x.id === ev.target.value ? x : put(x, ["on"], ev.target.value === "-" ? undefined : ev.target.value)))}>
          <option value="">…</option>
          <option value="-">fixed in the frame</option>
          {datums.map((d) => (
            <option key={d}>{d}</option>
          ))}
        </select>
      </label>
      <div className="flex flex-wrap gap-2">
        <Button onClick={c.copy} shortcut="Ctrl C" hint="Copy, to paste them here or into another recipe">
          Copy
        </Button>
        <Button onClick={toggle}>{c.check?.["off"] === true ? "Switch on" : "Switch off"}</Button>
        {!c.fixed && (
          <>
            <Button onClick={() => c.duplicate()} shortcut="d" hint="Others like them">
              Duplicate
            </Button>
            <Button onClick={c.remove} shortcut="Delete" hint="Undo brings them back">
              Take out
            </Button>
          </>
        )}
      </div>
    </section>
  );
}
