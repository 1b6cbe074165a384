import { useQuery } from "@tanstack/react-query";
import { ArrowDown, ArrowUp, Copy, Plus, Power, Trash2 } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useCallback, useState } from "react";
import { draftPictureURL, kinds, putPicture, samplePictureURL, samples, type Choice, type Key, type KindInfo, type Tried } from "../../api/workbench";
import { latest, pictureURL, stations } from "../../api/client";
import { checksOf, freeID, get, isTree, put, riding, shapesOf, starter, withShape, type Check, type Tree } from "../../lib/recipe";
import { findingWord, stateOf } from "../../lib/verdict";
import { useKeys } from "../../ui/keys";
import { colorOf, Mark } from "../../ui/marks";
import { Button, Empty } from "../../ui/parts";
import { Overlay } from "../../ui/picture";
import type { Painting } from "./brush";
import { Canvas } from "./canvas";
import { CheckForm, field } from "./form";
import { RoutesForm } from "./routes";
import { useTried, type Editing } from "./useDraft";

/** What kinds are for, in the words of who needs one. */
const needs: [string, string][] = [
  ["locate", "Find"],
  ["presence", "Is it there"],
  ["count", "Count"],
  ["color", "Color"],
  ["measure", "Measure"],
  ["logic", "Decide"],
];

export function ChecksTab({ k, e, picture, setPicture }: { k: Key; e: Editing; picture: string; setPicture: (p: string) => void }) {
  const list = useQuery({ queryKey: ["kinds"], queryFn: kinds, staleTime: Infinity });
  const checks = checksOf(e.tree);
  const variant = typeof e.tree["base"] === "string";
  const shown = variant ? checksOf(e.draft.whole as Tree) : checks;
  const [at, setAt] = useState(0);
  const [shape, setShape] = useState(0);
  const [size, setSize] = useState({ w: 1280, h: 960 });
  const index = Math.min(at, shown.length - 1);
  const check = shown[index];
  const [live, setLive] = useState(0);
  const select = check && (check.kind === "color.amount" || check.kind === "presence.tone") ? { select: check.id } : {};
  const choice: Choice = picture.startsWith("sample:") ? { sample: picture.slice(7), ...select } : picture.startsWith("item:") ? { item: picture.slice(5), ...select } : select;
  const { tried, pending, error } = useTried(k, e.tree, choice);
  const shapes = check ? shapesOf(check) : [];
  const sized = useCallback((w: number, h: number) => setSize((s) => (s.w === w && s.h === h ? s : { w, h })), []);
  const onReference = picture === "reference";
  const reference = String(get(e.draft.whole, ["picture", "reference"]) ?? "");
  const url = picture.startsWith("sample:") ? samplePictureURL(k, picture.slice(7), "preview") : picture.startsWith("item:") ? pictureURL(picture.slice(5), "preview") : reference ? draftPictureURL(k, reference, "preview") : null;

  const setChecks = (next: Check[], passing = false) => e.change({ ...e.tree, checks: next }, passing);
  const setCheck = (c: Check, passing = false) => {
    if (variant) return;
    const old = checks[index];
    let next = checks.map((x, i) => (i === index ? c : x));
    if (old && old.id !== c.id) next = next.map((x) => (x.on === old.id ? { ...x, on: c.id } : x)); // riders follow the name
    setChecks(next, passing);
  };
  const datums = checks.filter((c) => list.data?.find((i) => i.kind === c.kind)?.datum).map((c) => c.id);
  const add = (kind: string) => {
    const c = starter(kind, checks, datums[0], size.w, size.h);
    setChecks([...checks, c]);
    setAt(checks.length);
    setShape(0);
    if (!onReference) setPicture("reference");
  };
  const remove = () => {
    if (!check || variant) return;
    setChecks(checks.filter((_, i) => i !== index).map((c) => (c.on === check.id ? put(c, ["on"], undefined) : c)));
    setAt(Math.max(0, index - 1));
  };
  const copy = () => {
    if (!check || variant) return;
    const c = { ...check, id: freeID(checks, check.id) };
    const moved = shapesOf(c).reduce((x, s) => withShape(x, s, s.numbers.map((v, i) => (s.form === "polygon" || s.form === "arrow" || i < 2 ? v + 20 : v))), c);
    setChecks([...checks.slice(0, index + 1), moved, ...checks.slice(index + 1)]);
    setAt(index + 1);
  };
  const toggle = () => check && setCheck(put(check, ["off"], check["off"] === true ? undefined : true));
  const shift = (by: number) => {
    const other = checks[index + by];
    if (!check || !other || variant) return;
    setChecks(checks.map((c, i) => (i === index ? other : i === index + by ? check : c)));
    setAt(index + by);
  };
  const [painting, setPainting] = useState<Painting | null>(null);
  const paint = (name: string, hole: boolean) => {
    if (!check) return;
    const of = { index, id: check.id };
    const was = get(check, [name]);
    const now = !hole && isTree(was) && typeof was["mask"] === "string" ? was["mask"] : undefined;
    if (!onReference) setPicture("reference");
    setPainting({
      title: hole ? "Paint what is left out" : `Paint the ${name.replaceAll("_", " ")}`,
      url: now ? draftPictureURL(k, now, "full") : undefined,
      cancel: () => setPainting(null),
      done: (mask) => {
        setPainting(null);
        const file = `${of.id}-${name}-${Date.now().toString(36)}.png`;
        putPicture(k, file, mask)
          .then(() => {
            const holes = isTree(was) && Array.isArray(was["without"]) ? (was["without"] as Tree[]) : [];
            const next = hole ? { ...(was as Tree), without: [...holes, { mask: file }] } : { mask: file, ...(holes.length ? { without: holes } : {}) };
            setCheck(put(check, [name], next));
            setUnpainted("");
          })
          .catch((x: unknown) => setUnpainted(x instanceof Error ? x.message : String(x)));
      },
    });
  };
  const [unpainted, setUnpainted] = useState("");
  const order = riding(shown);
  const place = order.findIndex((o) => o.index === index);
  const step = (by: number) => {
    const next = order[(place + by + order.length) % order.length];
    if (next) {
      setAt(next.index);
      setShape(0);
    }
  };
  useKeys({ n: () => step(1), p: () => step(-1), Delete: remove, d: copy, c: () => setShape((s) => (shapes.length ? (s + 1) % shapes.length : 0)) });

  const overlay = (w: number, h: number) => (tried && tried.problems.length === 0 && w === tried.width ? <Drawn tried={tried} chosen={check?.id} reference={onReference} w={w} h={h} /> : null);
  const takeLive = async () => {
    const list = await stations();
    const on = list.filter((s) => s.role === k.role);
    const next = on.find((s) => s.product === k.product) ?? on[0];
    const it = next && (await latest(next.id));
    if (it?.picture) setPicture(`item:${it.id}`);
    setLive((v) => v + 1);
  };
  const problems = tried?.problems ?? [];
  const problemOf = (f: string) => {
    const p = problems.find((x) => x.field === `checks/${index}/${f}` || x.field?.startsWith(`checks/${index}/${f}/`));
    return p && (p.remedy ? `${p.what}; ${p.remedy}` : p.what);
  };
  const general = problems.filter((p) => !p.field?.startsWith(`checks/${index}/`));
  const finding = tried?.findings.find((f) => f.check === check?.id);
  const readings = Object.fromEntries(Object.entries(finding?.readings ?? {}).map(([n, r]) => [n, r.value]));
  const warnings = tried?.warnings.filter((w) => w.check === check?.id) ?? [];
  return (
    <div className="grid min-h-0 flex-1 grid-cols-[15rem_minmax(0,1fr)_22rem] max-lg:grid-cols-[12rem_minmax(0,1fr)] max-lg:grid-rows-[minmax(24rem,1fr)_auto]">
      <nav aria-label="Checks" className="flex min-h-0 flex-col overflow-y-auto border-r border-hairline">
        {!variant && <AddCheck kinds={list.data ?? []} add={add} />}
        {shown.length === 0 && <p className="px-4 py-3 text-base text-ink-2">No checks yet. Begin with “Find”: it tells where the item lies, and the others ride on it.</p>}
        <ul className="m-0 list-none p-0">
          {order.map(({ check: c, index: i, depth }) => {
            const f = tried?.findings.find((x) => x.check === c.id);
            const wrong = problems.some((x) => x.field?.startsWith(`checks/${i}/`) || x.field === `checks/${i}`);
            return (
              <li key={c.id}>
                <button
                  type="button"
                  aria-current={i === index}
                  onClick={() => {
                    setAt(i);
                    setShape(0);
                  }}
                  className={`flex min-h-11 w-full items-center gap-2 border-l-4 pr-3 text-left ${i === index ? "border-accent bg-wash" : "border-transparent hover:bg-wash"}`}
                  style={{ paddingLeft: `${10 + depth * 16}px` }}
                >
                  <Mark state={f && !wrong ? stateOf(f) : "not_judged"} size={18} />
                  <span className="min-w-0 flex-1">
                    <span className="block truncate font-mono text-sm">{c.id}</span>
                    <span className="block truncate text-sm text-ink-2">{c["off"] === true ? "switched off" : wrong ? "has a problem" : c.kind}</span>
                  </span>
                </button>
              </li>
            );
          })}
        </ul>
      </nav>
      <section aria-label="Picture" className="flex min-h-0 min-w-0 flex-col border-r border-hairline">
        <div className="flex flex-wrap items-center gap-3 border-b border-hairline px-4 py-2">
          <PictureChoice k={k} value={picture} set={setPicture} />
          <Button onClick={() => void takeLive()} hint="The last picture from the belt" data-live={live}>
            From the belt
          </Button>
          <p role="status" className="m-0 min-w-0 flex-1 text-base">
            {error ? (
              <span className="text-reject">{error instanceof Error ? error.message : "No answer"}</span>
            ) : general.length > 0 ? (
              <span className="text-reject">
                {general[0]?.field ? `${general[0].field}: ` : ""}
                {general[0]?.what}
                {general[0]?.remedy ? `; ${general[0].remedy}` : ""}
              </span>
            ) : tried && tried.problems.length === 0 ? (
              <>
                <span className="font-semibold">{tried.route}</span> <span className="text-ink-2">{tried.sentence}</span>
              </>
            ) : null}
          </p>
          <span className="text-sm text-ink-2">{pending ? "judging…" : tried && tried.judge_ms > 0 ? `${tried.judge_ms.toFixed(1)} ms` : ""}</span>
        </div>
        <Canvas
          url={url}
          label="Picture with the regions of the check"
          overlay={overlay}
          shapes={onReference ? shapes : []}
          chosen={Math.min(shape, shapes.length - 1)}
          onChoose={setShape}
          editable={onReference && !variant}
          painting={painting}
          onSize={sized}
          onChange={(s, numbers, turn, done) => check && setCheck(withShape(check, s, numbers, turn), !done)}
        />
        {!onReference && <p className="m-0 border-t border-hairline px-4 py-2 text-sm text-ink-2">Regions are drawn on the reference picture; choose it to move them.</p>}
      </section>
      <aside aria-label="Settings" className="min-h-0 overflow-y-auto max-lg:col-span-2 max-lg:border-t max-lg:border-hairline">
        {variant ? (
          <VariantForm e={e} />
        ) : check ? (
          <>
            <div className="flex items-center gap-1 border-b border-hairline px-4 py-2">
              <span className="min-w-0 flex-1 truncate font-mono text-sm text-ink-2">{check.kind}</span>
              {finding && <span className={`text-sm font-semibold ${colorOf(stateOf(finding))}`}>{findingWord(finding)}</span>}
              <Button className="min-h-9! min-w-9! px-1.5!" hint="Earlier: the reason of an item is its first failed check" aria-label="Earlier" disabled={index === 0} onClick={() => shift(-1)}>
                <ArrowUp size={18} aria-hidden />
              </Button>
              <Button className="min-h-9! min-w-9! px-1.5!" hint="Later" aria-label="Later" disabled={index === checks.length - 1} onClick={() => shift(1)}>
                <ArrowDown size={18} aria-hidden />
              </Button>
              <Button className="min-h-9! min-w-9! px-1.5!" hint={check["off"] === true ? "Switch it on" : "Switch it off"} aria-label="On" aria-pressed={check["off"] !== true} onClick={toggle}>
                <Power size={18} aria-hidden />
              </Button>
              <Button className="min-h-9! min-w-9! px-1.5!" hint="Copy this check" shortcut="d" aria-label="Copy this check" onClick={copy}>
                <Copy size={18} aria-hidden />
              </Button>
              <Button className="min-h-9! min-w-9! px-1.5!" hint="Take this check out" shortcut="Delete" aria-label="Take this check out" onClick={remove}>
                <Trash2 size={18} aria-hidden />
              </Button>
            </div>
            {finding && <p className="m-0 border-b border-hairline px-4 py-2 text-base">{finding.sentence}</p>}
            {warnings.map((w) => (
              <p key={w.text} className="m-0 border-b border-hairline border-l-4 border-l-accent bg-wash px-4 py-2 text-sm">
                {w.text}
              </p>
            ))}
            {unpainted && (
              <p role="alert" className="m-0 border-b border-hairline px-4 py-2 text-sm text-reject">
                {unpainted}
              </p>
            )}
            {problems
              .filter((p) => p.field === `checks/${index}`)
              .map((p) => (
                <p key={p.what} className="m-0 border-b border-hairline px-4 py-2 text-sm text-reject">
                  {p.what}
                </p>
              ))}
            <CheckForm key={`${index}.${check.kind}`} check={check} kind={list.data?.find((i) => i.kind === check.kind)} datums={datums} change={(c) => setCheck(c)} problems={problemOf} readings={readings} paint={paint} />
          </>
        ) : (
          <Empty title="Nothing chosen">Add a check at the left; its settings appear here.</Empty>
        )}
        {!variant && <RoutesForm e={e} tried={tried} />}
      </aside>
    </div>
  );
}

/** What was found, and on the reference what was taught. */
function Drawn({ tried, chosen, reference, w, h }: { tried: Tried; chosen?: string; reference: boolean; w: number; h: number }) {
  const none = new Set<string>();
  const findings = tried.findings.map((f) => ({ ...f, marks: f.check === chosen ? f.marks.filter((m) => !reference || m.role !== "region") : f.marks.filter((m) => m.role !== "taught") }));
  const taught = reference && chosen ? (tried.taught[chosen] ?? []) : [];
  return (
    <svg x={0} y={0} width={w} height={h} viewBox={`0 0 ${w} ${h}`}>
      {tried.selected && <image href={tried.selected} width={w} height={h} opacity={0.6} style={{ imageRendering: "pixelated" }} data-testid="selected" />}
      <Overlay findings={findings} hidden={none} width={w} height={h} />
      {taught.flatMap((m, i) => (m.shape === "points" ? [<path key={i} d={m.points.map(([x, y]) => `M${x} ${y}h0`).join("")} stroke="#f0b13c" strokeWidth={3} strokeLinecap="round" />] : []))}
    </svg>
  );
}

function AddCheck({ kinds, add }: { kinds: KindInfo[]; add: (kind: string) => void }) {
  return (
    <div className="border-b border-hairline p-2">
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <Button className="w-full">
            <Plus size={18} aria-hidden /> Add a check
          </Button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content align="start" sideOffset={4} className="z-50 max-h-[75dvh] w-96 overflow-y-auto rounded-lg border border-hairline bg-sheet p-2">
            {needs.map(([family, title]) => (
              <DropdownMenu.Group key={family}>
                <DropdownMenu.Label className="px-3 pt-2 text-sm font-semibold text-ink-2">{title}</DropdownMenu.Label>
                {kinds
                  .filter((i) => i.kind.startsWith(`${family}.`))
                  .map((i) => (
                    <DropdownMenu.Item key={i.kind} onSelect={() => add(i.kind)} className="cursor-pointer rounded-md px-3 py-1.5 text-base outline-none data-highlighted:bg-wash">
                      <span className="font-medium">{i.kind.split(".")[1]}</span> <span className="text-sm text-ink-2">{i.doc}</span>
                    </DropdownMenu.Item>
                  ))}
              </DropdownMenu.Group>
            ))}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
    </div>
  );
}

function PictureChoice({ k, value, set }: { k: Key; value: string; set: (p: string) => void }) {
  const list = useQuery({ queryKey: ["samples", k.product, k.role], queryFn: () => samples(k) });
  const all = list.data ?? [];
  const at = all.findIndex((s) => `sample:${s.sample}` === value);
  const step = (by: number) => {
    const next = all[Math.min(all.length - 1, Math.max(0, at + by))];
    if (next) set(`sample:${next.sample}`);
  };
  useKeys({ ",": () => (at <= 0 ? set("reference") : step(-1)), ".": () => step(1), r: () => set("reference") });
  return (
    <label>
      <span className="sr-only">Picture</span>
      <select className={`${field} w-48!`} value={value} onChange={(ev) => set(ev.target.value)}>
        <option value="reference">reference</option>
        {value.startsWith("item:") && <option value={value}>{value.slice(5)} from the belt</option>}
        {all.map((s) => (
          <option key={s.sample} value={`sample:${s.sample}`}>
            {s.sample} ({s.label})
          </option>
        ))}
      </select>
    </label>
  );
}

/** A variant: what it changes of its base; everything else is the base's. */
function VariantForm({ e }: { e: Editing }) {
  const change = (get(e.tree, ["change"]) ?? {}) as Tree;
  const [path, setPath] = useState("");
  const [value, setValue] = useState("");
  const [wrong, setWrong] = useState("");
  const set = (p: string, v: unknown) => e.change(put(e.tree, ["change"], put(change, [p], v)));
  const parse = (s: string): unknown => {
    try {
      return JSON.parse(s);
    } catch {
      return s;
    }
  };
  return (
    <div className="flex flex-col gap-3 px-4 py-3">
      <p className="m-0 text-base">
        A variant of <span className="font-mono">{String(e.tree["base"])}</span>. What is not changed here is taken from there.
      </p>
      <table className="w-full border-collapse text-sm">
        <tbody>
          {Object.entries(change).map(([p, v]) => (
            <tr key={p} className="border-b border-hairline">
              <td className="py-2 pr-2 font-mono">{p}</td>
              <td className="py-2 pr-2 font-mono">{JSON.stringify(v)}</td>
              <td className="text-right">
                <button type="button" className="min-h-9 rounded-md border border-hairline px-2 hover:bg-wash" onClick={() => set(p, undefined)}>
                  As the base
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {Object.keys(change).length === 0 && <p className="m-0 text-sm text-ink-2">Nothing is changed yet.</p>}
      <label className="flex flex-col gap-1 text-sm text-ink-2">
        What, as in tips/limits/count
        <input className={`${field} font-mono`} value={path} onChange={(ev) => setPath(ev.target.value)} />
      </label>
      <label className="flex flex-col gap-1 text-sm text-ink-2">
        To, as in 24 or {`{"least": 24}`}
        <input className={`${field} font-mono`} value={value} onChange={(ev) => setValue(ev.target.value)} />
      </label>
      {wrong && <p className="m-0 text-sm text-reject">{wrong}</p>}
      <Button
        onClick={() => {
          if (!path.includes("/") && path !== "routes") return setWrong("Write the check and the field, with a stroke between.");
          setWrong("");
          set(path, parse(value));
          setPath("");
          setValue("");
        }}
      >
        Change it
      </Button>
    </div>
  );
}
