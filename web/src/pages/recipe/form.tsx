import { createContext, useContext, useId, useRef, useState } from "react";
import type { KindInfo } from "../../api/workbench";
import { asksOthers, get, isTree, put, type Check, type Path, type Tree } from "../../lib/recipe";
import { ownOf } from "../../lib/variant";
import { GridField } from "./grid";

export const field = "min-h-10 w-full rounded-md border border-hairline bg-sheet px-2.5 text-base text-ink";

type Schema = Tree & { type?: string | string[]; enum?: unknown[]; minimum?: number; maximum?: number; exclusiveMinimum?: number; properties?: Record<string, Schema>; items?: Schema; description?: string };

const small = "min-h-10 shrink-0 rounded-md border border-hairline bg-sheet px-2.5 text-sm hover:bg-wash";

const words = (name: string) => name.replaceAll("_", " ");

/** What print must say is asked before all that has a default. */
const whatItSays = ["expect", "pattern"];

interface FormProps {
  check: Check;
  /** Of a variant the same check in its base: what differs is said, and can be put back. */
  base?: Check;
  kind: KindInfo | undefined;
  datums: string[];
  change: (c: Check) => void;
  problems: (field: string) => string | undefined;
  readings: Record<string, number>;
  paint: (field: string, hole: boolean) => void;
  /** Begins or ends picking places on the picture for a setting. */
  pick: (field: string) => void;
  picking: string | null;
}

/** The settings of a check as a form, made from its kind's schema: first those that are set or must be, then the others. */
export function CheckForm({ check, base, kind, datums, change, problems, readings, paint, pick, picking }: FormProps) {
  const set = (path: Path, v: unknown) => change(put(check, path, v));
  const schema = (kind?.schema ?? {}) as Schema;
  const all = kind?.fields ?? [];
  const must = (schema["required"] as string[] | undefined) ?? [];
  // What comes first is settled when the form opens: a field must not move away under the
  // fingers of who fills it in.
  const [opened, setOpened] = useState<{ kind?: KindInfo; first: string[] }>({ first: [] });
  if (opened.kind !== kind) setOpened({ kind, first: all.filter((f) => must.includes(f) || check[f] !== undefined || whatItSays.includes(f)) });
  const { first } = opened;
  const more = all.filter((f) => !first.includes(f));
  const own = (name: string) => base !== undefined && ownOf(base, check, [name]);
  const one = (name: string) => (
    <div key={name} className={own(name) ? "border-l-4 border-l-accent pl-2" : ""}>
      <Field name={name} schema={schema.properties?.[name] ?? {}} value={check[name]} preset={kind?.defaults[name]} problem={problems(name)} set={(v) => set([name], v)} paint={(hole) => paint(name, hole)} pick={() => pick(name)} picking={picking === name} />
      {own(name) && <AsBase name={words(name)} back={() => set([name], base?.[name])} />}
    </div>
  );
  return (
    <form aria-label={`Settings of ${check.id}`} onSubmit={(e) => e.preventDefault()} className="flex flex-col gap-3 px-4 py-3">
      <p className="m-0 text-sm text-ink-2">{kind?.doc}</p>
      <div className="grid grid-cols-2 gap-3">
        <Labeled text="Name" problem={problems("id")}>
          {(id) => (base ? <output id={id} className="flex min-h-10 items-center font-mono text-sm">{check.id}</output> : <Text id={id} value={check.id} set={(v) => set(["id"], v)} />)}
        </Labeled>
        {!asksOthers(check.kind) && (
          <Labeled text="Rides on" problem={problems("on")}>
            {(id) => (
              <select id={id} className={field} value={check.on ?? ""} onChange={(e) => set(["on"], e.target.value || undefined)}>
                <option value="">fixed in the frame</option>
                {datums.filter((d) => d !== check.id).map((d) => (
                  <option key={d}>{d}</option>
                ))}
              </select>
            )}
          </Labeled>
        )}
      </div>
      {first.map(one)}
      {base && <p className="m-0 text-sm text-ink-2">{all.some(own) || own("limits") ? "What is marked is this variant's own; all else is as in the base." : "All as in the base."}</p>}
      {kind && kind.measures.length > 0 && <Limits check={check} base={base} kind={kind} set={set} readings={readings} problems={problems} />}
      <details className="border-t border-hairline pt-2">
        <summary className="cursor-pointer py-1 text-base font-medium">More settings</summary>
        <div className="mt-2 flex flex-col gap-3">
          {more.map(one)}
          <label className="flex items-center gap-2 text-base">
            <input type="checkbox" className="h-5 w-5" checked={check["measure_only"] === true} onChange={(e) => set(["measure_only"], e.target.checked || undefined)} />
            Only measure, do not decide
          </label>
          {kind?.measures.some((m) => m.unit === "px") && (
            <label className="flex items-center gap-2 text-base">
              <input type="checkbox" className="h-5 w-5" checked={check["unit"] === "mm"} onChange={(e) => set(["unit"], e.target.checked ? "mm" : undefined)} />
              Lengths in millimeters
            </label>
          )}
          {!asksOthers(check.kind) && !check.kind.startsWith("locate.") && !base && <GridField check={check} set={(g) => set(["copies"], g)} />}
          <Labeled text="Where its region hangs out of the picture">
            {(id) => (
              <select id={id} className={field} value={typeof check["outside"] === "string" ? check["outside"] : ""} onChange={(e) => set(["outside"], e.target.value || undefined)}>
                <option value="">it is a fault</option>
                <option value="fail">the check fails</option>
                <option value="judge">what can be seen is judged</option>
              </select>
            )}
          </Labeled>
        </div>
      </details>
    </form>
  );
}

/** Says that a setting is a variant's own, and puts it back. */
function AsBase({ name, back }: { name: string; back: () => void }) {
  return (
    <button type="button" className="mt-1 min-h-9 rounded-md border border-hairline px-2 text-sm hover:bg-wash" aria-label={`${name} as the base`} onClick={back}>
      As the base
    </button>
  );
}

function Limits({ check, base, kind, set, readings, problems }: { check: Check; base?: Check; kind: KindInfo; set: (path: Path, v: unknown) => void; readings: Record<string, number>; problems: (field: string) => string | undefined }) {
  const limits = isTree(check["limits"]) ? check["limits"] : {};
  const bound = (name: string, end: "least" | "most", v: number | undefined) => {
    const was = isTree(limits[name]) ? limits[name] : {};
    let next: Tree = { ...was, [end]: v };
    if (typeof was["nominal"] === "number" && typeof was["tolerance"] === "number") next = { least: was["nominal"] - was["tolerance"], most: was["nominal"] + was["tolerance"], [end]: v };
    for (const k of Object.keys(next)) if (next[k] === undefined) delete next[k];
    const all: Tree = { ...limits };
    if (Object.keys(next).length) all[name] = next;
    else delete all[name];
    set(["limits"], Object.keys(all).length ? all : undefined);
  };
  /** Takes the present reading as what is wanted. */
  const expect = (name: string, whole: boolean) => {
    const v = readings[name];
    if (v === undefined) return;
    const neat = (x: number) => Number(x.toPrecision(3));
    set(["limits"], { ...limits, [name]: whole ? { least: v, most: v } : { nominal: neat(v), tolerance: neat(Math.abs(v) * 0.05) || 0.05 } });
  };
  const at = (name: string, end: "least" | "most"): number | undefined => {
    const l = limits[name];
    if (!isTree(l)) return undefined;
    if (typeof l["nominal"] === "number" && typeof l["tolerance"] === "number") return l["nominal"] + (end === "least" ? -l["tolerance"] : l["tolerance"]);
    return typeof l[end] === "number" ? l[end] : undefined;
  };
  return (
    <fieldset className="m-0 border-0 border-t border-hairline p-0 pt-2">
      <legend className="sr-only">Limits</legend>
      <div className="grid grid-cols-[minmax(0,1fr)_4.5rem_5rem_5rem] items-center gap-x-2 gap-y-1.5 text-sm">
        <span className="text-base font-medium">Limits</span>
        <span className="text-right text-ink-2">now</span>
        <span className="text-ink-2">at least</span>
        <span className="text-ink-2">at most</span>
        {kind.measures.map((m) => (
          <div key={m.name} className="contents">
            <span title={m.doc}>
              {words(m.name)} <span className="text-ink-2">{m.unit === "px" && check["unit"] === "mm" ? "mm" : m.unit === "deg" ? "°" : m.unit}</span>
            </span>
            {readings[m.name] === undefined ? (
              <span className="text-right text-ink-2">–</span>
            ) : (
              <button type="button" title={m.whole ? "Expect exactly this" : "Expect this, within a twentieth"} aria-label={`Expect ${words(m.name)} ${readings[m.name]}`} className="min-h-9 rounded-md px-1 text-right font-semibold hover:bg-wash" onClick={() => expect(m.name, m.whole)}>
                {Number(readings[m.name]!.toPrecision(4))}
              </button>
            )}
            {(["least", "most"] as const).map((end) => (
              <Num key={end} label={`${words(m.name)} ${end === "least" ? "at least" : "at most"}`} value={at(m.name, end)} set={(v) => bound(m.name, end, v)} />
            ))}
            {base && ownOf(base, check, ["limits", m.name]) && (
              <p className="col-span-4 m-0 border-l-4 border-l-accent pl-2">
                <AsBase name={`Limits of ${words(m.name)}`} back={() => set(["limits", m.name], get(base, ["limits", m.name]))} />
              </p>
            )}
            {problems(`limits/${m.name}`) && <p className="col-span-4 m-0 text-sm text-reject">{problems(`limits/${m.name}`)}</p>}
          </div>
        ))}
      </div>
    </fieldset>
  );
}

function Labeled({ text, hint, problem, children }: { text: string; hint?: string; problem?: string; children: (id: string) => React.ReactNode }) {
  const id = useId();
  return (
    <div className="flex min-w-0 flex-col gap-1">
      <label htmlFor={id} className="text-sm text-ink-2" title={hint}>
        {text}
      </label>
      {children(id)}
      {problem && <p className="m-0 text-sm text-reject">{problem}</p>}
    </div>
  );
}

/** What is being typed: it begins with the value, and follows it when that changes from elsewhere. */
export function useTyped(value: string, same: (typed: string) => boolean = () => false): [string, (typed: string) => void] {
  const [state, setState] = useState({ value, typed: value });
  if (state.value !== value) setState({ value, typed: same(state.typed) ? state.typed : value });
  return [state.typed, (typed) => setState({ value, typed })];
}

/** A text that takes effect when one leaves it or presses Enter: half a name is none. */
function Text({ id, value, set }: { id?: string; value: string; set: (v: string) => void }) {
  const [now, setNow] = useTyped(value);
  const done = () => now !== value && set(now);
  return <input id={id} className={field} value={now} onChange={(e) => setNow(e.target.value)} onBlur={done} onKeyDown={(e) => e.key === "Enter" && done()} />;
}

/** A number that may be absent. */
export function Num({ id, label, value, preset, set, step }: { id?: string; label?: string; value: number | undefined; preset?: unknown; set: (v: number | undefined) => void; step?: number }) {
  const [text, setText] = useTyped(value === undefined ? "" : String(Math.round(value * 1e6) / 1e6), (typed) => typed !== "" && Number(typed) === value);
  return (
    <input
      id={id}
      aria-label={label}
      inputMode="decimal"
      type="number"
      step={step ?? "any"}
      className={field}
      value={text}
      placeholder={typeof preset === "number" ? String(preset) : ""}
      onChange={(e) => {
        setText(e.target.value);
        const v = e.target.valueAsNumber;
        if (e.target.value === "") set(undefined);
        else if (Number.isFinite(v)) set(v);
      }}
    />
  );
}

/** One setting, by what its schema says it is. */
function Field({ name, schema, value, preset, problem, set, paint, pick, picking }: { name: string; schema: Schema; value: unknown; preset: unknown; problem?: string; set: (v: unknown) => void; paint?: (hole: boolean) => void; pick?: () => void; picking?: boolean }) {
  const label = words(name);
  const type = Array.isArray(schema.type) ? schema.type[0] : schema.type;
  const props = schema.properties ?? {};
  if (props["rect"] || props["circle"]) return <RegionField label={label} value={value} problem={problem} set={set} paint={paint} />;
  if (schema.enum)
    return (
      <Labeled text={label} hint={schema.description} problem={problem}>
        {(id) => (
          <select id={id} className={field} value={typeof value === "string" ? value : ""} onChange={(e) => set(e.target.value || undefined)}>
            <option value="">{typeof preset === "string" && preset ? preset : "–"}</option>
            {schema.enum?.filter((v) => v !== preset).map((v) => (
              <option key={String(v)}>{String(v)}</option>
            ))}
          </select>
        )}
      </Labeled>
    );
  if (type === "boolean")
    return (
      <label className="flex items-center gap-2 text-base" title={schema.description}>
        <input type="checkbox" className="h-5 w-5" checked={value === undefined ? preset === true : value === true} onChange={(e) => set(e.target.checked)} />
        {label}
      </label>
    );
  if (type === "number" || type === "integer") {
    const [lo, hi] = [schema.minimum ?? schema.exclusiveMinimum, schema.maximum];
    const step = type === "integer" ? 1 : undefined;
    const now = typeof value === "number" ? value : typeof preset === "number" ? preset : undefined;
    return (
      <Labeled text={label} hint={schema.description} problem={problem}>
        {(id) => (
          <div className="grid grid-cols-[1fr_5.5rem] items-center gap-3">
            {lo !== undefined && hi !== undefined && hi - lo <= 360 ? (
              <input type="range" aria-label={`${label}, slider`} className="w-full accent-(--accent)" min={lo} max={hi} step={step ?? (hi - lo) / 200} value={now ?? lo} onChange={(e) => set(e.target.valueAsNumber)} />
            ) : (
              <span />
            )}
            <Num id={id} value={typeof value === "number" ? value : undefined} preset={preset} set={set} step={step} />
          </div>
        )}
      </Labeled>
    );
  }
  if (type === "array" && schema.items?.enum) return <ChoicesField label={label} hint={schema.description} of={schema.items.enum.map(String)} value={value} problem={problem} set={set} />;
  if (type === "array" && schema.items?.properties?.["file"] && schema.items.properties["text"]) return <TaughtField label={label} hint={schema.description} value={value} problem={problem} set={set} />;
  if (type === "string" && name === "of")
    return (
      <Labeled text={label} hint={schema.description} problem={problem}>
        {(id) => <TextOf id={id} value={typeof value === "string" ? value : ""} set={(v) => set(v || undefined)} />}
      </Labeled>
    );
  if (type === "array" && schema.items?.properties?.["rect"]) return <PlacesField label={label} hint={schema.description} value={value} problem={problem} set={set} pick={pick} picking={picking} />;
  if (type === "string")
    return (
      <Labeled text={label} hint={schema.description} problem={problem}>
        {(id) => <Text id={id} value={typeof value === "string" ? value : ""} set={(v) => set(v || undefined)} />}
      </Labeled>
    );
  if (type === "object" && (props["least"] || props["most"])) {
    const v = isTree(value) ? value : {};
    const end = (e: "least" | "most", n: number | undefined) => {
      const next = put(v, [e], n);
      set(Object.keys(next).length ? next : undefined);
    };
    return (
      <Labeled text={label} hint={schema.description} problem={problem}>
        {(id) => (
          <div id={id} className="grid grid-cols-2 gap-3">
            {(["least", "most"] as const).map((e) => (
              <label key={e} className="flex items-center gap-2 text-sm text-ink-2">
                {e}
                <Num value={typeof v[e] === "number" ? v[e] : undefined} set={(n) => end(e, n)} />
              </label>
            ))}
          </div>
        )}
      </Labeled>
    );
  }
  if (type === "object" && Object.keys(props).length > 0 && value !== undefined && isTree(value)) return <Group label={label} hint={schema.description} props={props} value={value} set={set} />;
  if (type === "object" && Object.keys(props).length > 0)
    return (
      <label className="flex items-center gap-2 text-base" title={schema.description}>
        <input type="checkbox" className="h-5 w-5" checked={false} onChange={() => set({})} />
        {label}
      </label>
    );
  return <Plain label={label} hint={schema.description} value={value} problem={problem} set={set} />;
}

/** Settings that belong together: first those that were set when it opened. */
function Group({ label, hint, props, value, set }: { label: string; hint?: string; props: Record<string, Schema>; value: Tree; set: (v: unknown) => void }) {
  const [first] = useState(() => Object.keys(props).filter((k) => value[k] !== undefined));
  const part = (k: string) => <Field key={k} name={k} schema={props[k] ?? {}} value={value[k]} preset={undefined} set={(v) => set(put(value, [k], v))} />;
  const more = Object.keys(props).filter((k) => !first.includes(k));
  return (
    <fieldset className="m-0 flex flex-col gap-2 rounded-md border border-hairline p-2.5">
      <legend className="px-1 text-sm text-ink-2" title={hint}>
        {label}
      </legend>
      {first.map(part)}
      {more.length > 0 && (
        <details open={first.length === 0}>
          <summary className="cursor-pointer text-sm text-ink-2">more</summary>
          <div className="mt-2 flex flex-col gap-2">{more.map(part)}</div>
        </details>
      )}
    </fieldset>
  );
}

/** What the form knows of the recipe round the check: texts that checks read, and how a picture
 * file is put into the recipe, which returns its name there. */
export const Around = createContext<{ texts: string[]; addPicture?: (file: File) => Promise<string> }>({ texts: [] });

/** Whose text: one of those that are read, or of the order, which nobody can list. */
function TextOf({ id, value, set }: { id: string; value: string; set: (v: string) => void }) {
  const { texts } = useContext(Around);
  const [now, setNow] = useTyped(value);
  const list = useId();
  const done = () => now !== value && set(now);
  return (
    <>
      <input id={id} list={list} className={`${field} font-mono text-sm`} value={now} onChange={(e) => setNow(e.target.value)} onBlur={done} onKeyDown={(e) => e.key === "Enter" && done()} />
      <datalist id={list}>
        {texts.concat("order.lot", "order.expiry", "order.price").map((t) => (
          <option key={t} value={t} />
        ))}
      </datalist>
    </>
  );
}

/** Some of a few words; none means all. */
function ChoicesField({ label, hint, of, value, problem, set }: { label: string; hint?: string; of: string[]; value: unknown; problem?: string; set: (v: unknown) => void }) {
  const now = Array.isArray(value) ? value.map(String) : [];
  const flip = (w: string) => {
    const next = of.filter((x) => (x === w ? !now.includes(x) : now.includes(x)));
    set(next.length ? next : undefined);
  };
  return (
    <fieldset className="m-0 flex flex-col gap-1 border-0 p-0">
      <legend className="text-sm text-ink-2" title={hint}>
        {label}
        {now.length === 0 && ": all"}
      </legend>
      <div className="grid grid-cols-2 gap-x-3">
        {of.map((w) => (
          <label key={w} className="flex min-h-9 items-center gap-2 text-base">
            <input type="checkbox" className="h-5 w-5" checked={now.includes(w)} onChange={() => flip(w)} />
            {w}
          </label>
        ))}
      </div>
      {problem && <p className="m-0 text-sm text-reject">{problem}</p>}
    </fieldset>
  );
}

/** Lines of print that characters are taught from: pictures, with what each says. */
function TaughtField({ label, hint, value, problem, set }: { label: string; hint?: string; value: unknown; problem?: string; set: (v: unknown) => void }) {
  const { addPicture } = useContext(Around);
  const [trouble, setTrouble] = useState("");
  const list = Array.isArray(value) ? (value as Tree[]) : [];
  const input = useRef<HTMLInputElement>(null);
  const put1 = (i: number, text: string) => set(list.map((t, n) => (n === i ? { ...t, text } : t)));
  const add = async (f: File) => {
    try {
      const file = await addPicture!(f);
      setTrouble("");
      set([...list, { file, text: f.name.replace(/\.[^.]*$/, "") }]);
    } catch (x) {
      setTrouble(x instanceof Error ? x.message : String(x));
    }
  };
  return (
    <fieldset className="m-0 flex flex-col gap-2 rounded-md border border-hairline p-2.5">
      <legend className="px-1 text-sm text-ink-2" title={hint}>
        {label}
      </legend>
      {list.length === 0 && <p className="m-0 text-sm text-ink-2">Add pictures that show one line of this print each, and say what it says.</p>}
      {list.map((t, i) => (
        <div key={String(t["file"])} className="grid grid-cols-[1fr_1fr_2.5rem] items-center gap-2">
          <span className="truncate font-mono text-sm" title={String(t["file"])}>
            {String(t["file"])}
          </span>
          <Taught text={String(t["text"] ?? "")} of={String(t["file"])} set={(text) => put1(i, text)} />
          <button type="button" aria-label={`Leave out ${String(t["file"])}`} className="min-h-10 rounded-md border border-hairline hover:bg-wash" onClick={() => set(list.length > 1 ? list.filter((_, n) => n !== i) : undefined)}>
            ×
          </button>
        </div>
      ))}
      {addPicture && (
        <>
          <input
            ref={input}
            type="file"
            accept=".png,.jpg,.jpeg,.bmp,.tif,.tiff"
            className="hidden"
            data-testid="taught-picture"
            onChange={(ev) => {
              const f = ev.target.files?.[0];
              ev.target.value = "";
              if (f) void add(f);
            }}
          />
          <button type="button" className="min-h-10 self-start rounded-md border border-hairline bg-sheet px-3 text-sm hover:bg-wash" onClick={() => input.current?.click()}>
            Add a picture
          </button>
        </>
      )}
      {(trouble || problem) && <p className="m-0 text-sm text-reject">{trouble || problem}</p>}
    </fieldset>
  );
}

function Taught({ text, of, set }: { text: string; of: string; set: (v: string) => void }) {
  const [now, setNow] = useTyped(text);
  const done = () => now !== text && now !== "" && set(now);
  return <input aria-label={`What ${of} says`} className={`${field} font-mono text-sm`} value={now} onChange={(e) => setNow(e.target.value)} onBlur={done} onKeyDown={(e) => e.key === "Enter" && done()} />;
}

/** Lists and other values as text: numbers and words with commas between, or JSON. */
function Plain({ label, hint, value, problem, set }: { label: string; hint?: string; value: unknown; problem?: string; set: (v: unknown) => void }) {
  const simple = value === undefined || (Array.isArray(value) && value.every((v) => typeof v === "number" || typeof v === "string"));
  const text = value === undefined ? "" : simple ? (value as unknown[]).join(", ") : JSON.stringify(value);
  const [now, setNow] = useTyped(text);
  const [wrong, setWrong] = useState("");
  const done = () => {
    if (now === text) return;
    setWrong("");
    if (now.trim() === "") return set(undefined);
    if (/^[[{]/.test(now.trim())) {
      try {
        return set(JSON.parse(now));
      } catch {
        return setWrong("The brackets do not close.");
      }
    }
    const parts = now.split(",").map((v) => v.trim());
    set(parts.every((v) => v !== "" && Number.isFinite(Number(v))) ? parts.map(Number) : parts);
  };
  return (
    <Labeled text={label} hint={hint} problem={wrong || problem}>
      {(id) => <input id={id} className={`${field} font-mono text-sm`} value={now} onChange={(e) => setNow(e.target.value)} onBlur={done} onKeyDown={(e) => e.key === "Enter" && done()} />}
    </Labeled>
  );
}

/** A list of places on the picture, as those where a color is picked. */
function PlacesField({ label, hint, value, problem, set, pick, picking }: { label: string; hint?: string; value: unknown; problem?: string; set: (v: unknown) => void; pick?: () => void; picking?: boolean }) {
  const list = Array.isArray(value) ? (value as Tree[]) : [];
  const last = list.at(-1);
  const add = () => {
    const [cx, cy] = extent(last ?? {});
    set([...list, { circle: [Math.round(cx + (last ? 40 : 0)), Math.round(cy), 12] }]);
  };
  return (
    <Labeled text={label} hint={hint} problem={problem}>
      {(id) => (
        <div className="flex items-center gap-2">
          <output id={id} className="flex-1 text-base">
            {list.length === 0 ? "none" : list.length === 1 ? "1 place" : `${list.length} places`}
          </output>
          {pick && (
            <button type="button" aria-pressed={picking} className={`min-h-10 rounded-md border px-3 text-sm hover:bg-wash ${picking ? "border-accent bg-wash font-semibold" : "border-hairline bg-sheet"}`} onClick={pick}>
              {picking ? "Picking…" : "Pick on the picture"}
            </button>
          )}
          {!pick && (
            <button type="button" className="min-h-10 rounded-md border border-hairline bg-sheet px-3 text-sm hover:bg-wash" onClick={add}>
              Add a place
            </button>
          )}
          {list.length > 0 && (
            <button type="button" aria-label={`Take the last place of ${label} out`} className="min-h-10 min-w-10 rounded-md border border-hairline bg-sheet px-3 text-sm hover:bg-wash" onClick={() => set(list.length > 1 ? list.slice(0, -1) : undefined)}>
              −
            </button>
          )}
        </div>
      )}
    </Labeled>
  );
}

const regionForms: Record<string, (cx: number, cy: number, w: number, h: number) => Tree> = {
  rect: (cx, cy, w, h) => ({ rect: [cx - w / 2, cy - h / 2, w, h] }),
  circle: (cx, cy, w, h) => ({ circle: [cx, cy, Math.min(w, h) / 2] }),
  ring: (cx, cy, w, h) => ({ ring: [cx, cy, Math.min(w, h) / 4, Math.min(w, h) / 2] }),
  polygon: (cx, cy, w, h) => ({
    polygon: [
      [cx - w / 2, cy - h / 2],
      [cx + w / 2, cy - h / 2],
      [cx + w / 2, cy + h / 2],
      [cx - w / 2, cy + h / 2],
    ],
  }),
};

/** Center and size of a region, whatever its form. */
function extent(v: Tree): [number, number, number, number] {
  const n = (k: string) => v[k] as number[];
  if (Array.isArray(v["rect"])) return [n("rect")[0]! + n("rect")[2]! / 2, n("rect")[1]! + n("rect")[3]! / 2, n("rect")[2]!, n("rect")[3]!];
  if (Array.isArray(v["circle"])) return [n("circle")[0]!, n("circle")[1]!, 2 * n("circle")[2]!, 2 * n("circle")[2]!];
  if (Array.isArray(v["ring"])) return [n("ring")[0]!, n("ring")[1]!, 2 * n("ring")[3]!, 2 * n("ring")[3]!];
  if (Array.isArray(v["polygon"])) {
    const xs = (v["polygon"] as number[][]).map((q) => q[0]!);
    const ys = (v["polygon"] as number[][]).map((q) => q[1]!);
    const [x0, x1, y0, y1] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
    return [(x0 + x1) / 2, (y0 + y1) / 2, x1 - x0, y1 - y0];
  }
  return [320, 240, 120, 80];
}

/** A region: its form here, its place on the picture. Holes are added and taken away here. */
function RegionField({ label, value, problem, set, paint }: { label: string; value: unknown; problem?: string; set: (v: unknown) => void; paint?: (hole: boolean) => void }) {
  const v = isTree(value) ? value : undefined;
  const form = v ? (Object.keys(regionForms).find((f) => v[f] !== undefined) ?? "mask") : "";
  const holes = v && Array.isArray(v["without"]) ? (v["without"] as Tree[]) : [];
  const to = (next: string) => {
    if (next === "") return set(undefined);
    if (next === "mask") return paint?.(false);
    const e = extent(v ?? {}).map(Math.round) as [number, number, number, number];
    set({ ...regionForms[next]!(...e), ...(holes.length ? { without: holes } : {}) });
  };
  const hole = () => {
    const [cx, cy, w, h] = extent(v ?? {});
    set({ ...v, without: [...holes, { circle: [Math.round(cx), Math.round(cy), Math.max(3, Math.round(Math.min(w, h) / 8))] }] });
  };
  return (
    <Labeled text={label} problem={problem}>
      {(id) => (
        <>
          <select id={id} className={field} value={form} onChange={(e) => to(e.target.value)}>
            <option value="">none</option>
            {Object.keys(regionForms).map((f) => (
              <option key={f} value={f}>
                {f === "rect" ? "rectangle" : f}
              </option>
            ))}
            {(paint || form === "mask") && <option value="mask">painted with the brush</option>}
          </select>
          {v && (
            <span className="flex flex-wrap items-center gap-2">
              {form === "mask" && paint && (
                <button type="button" className={small} onClick={() => paint(false)}>
                  Paint on
                </button>
              )}
              <button type="button" className={small} onClick={hole}>
                Add a hole
              </button>
              {paint && (
                <button type="button" className={small} onClick={() => paint(true)}>
                  Paint a hole
                </button>
              )}
              {holes.length > 0 && (
                <button type="button" className={small} aria-label={`Take the last hole of ${label} out`} onClick={() => set(put(v, ["without"], holes.length > 1 ? holes.slice(0, -1) : undefined))}>
                  − {holes.length === 1 ? "hole" : `${holes.length} holes`}
                </button>
              )}
            </span>
          )}
        </>
      )}
    </Labeled>
  );
}
