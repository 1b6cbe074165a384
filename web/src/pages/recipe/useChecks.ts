import { useState } from "react";
import { draftPictureURL, putPicture, type Key } from "../../api/workbench";
import { checksOf, extentOf, filesOf, freeID, isTree, moved, put, shapesOf, type Check, type Shape } from "../../lib/recipe";
import type { Editing } from "./useDraft";

/** Settings whose shapes say where a check looks, and not only where it may search or was taught. */
const aside = new Set(["search", "accept", "picked", "unpicked"]);

/** The checks of a draft being edited: which are chosen, and what is done with them. */
export function useChecks(k: Key, e: Editing) {
  const fixed = e.base !== undefined; // a variant has the checks of its base
  const checks = checksOf(e.whole);
  const [at, setAt] = useState(0);
  const [shape, setShape] = useState(0);
  const [several, setSeveral] = useState<string[]>([]);
  const [trouble, setTrouble] = useState("");
  const [clip, setClip] = useState(readClip);
  const group = several.filter((id) => checks.some((c) => c.id === id));
  const many = group.length > 1;
  const index = Math.min(at, checks.length - 1);
  const check = checks[index];

  const edit = (next: Check[], passing = false) => e.edit({ ...e.whole, checks: next }, passing);
  const choose = (i: number, s = 0) => {
    setAt(i);
    setShape(s);
    setSeveral([]);
  };
  /** Takes a check into those chosen together, or out of them. */
  const toggle = (i: number) => {
    const id = checks[i]?.id;
    if (!id || !check) return;
    const now = many ? group : [check.id];
    const next = now.includes(id) ? now.filter((x) => x !== id) : [...now, id];
    gather(next);
  };
  const gather = (ids: string[]) => {
    if (ids.length === 0) return;
    setSeveral(ids);
    if (!ids.includes(check?.id ?? "")) setAt(checks.findIndex((c) => c.id === ids[0]));
    setShape(0);
  };
  const set = (c: Check, passing = false) => {
    const old = checks[index];
    let next = checks.map((x, i) => (i === index ? c : x));
    if (old && old.id !== c.id) next = next.map((x) => (x.on === old.id ? { ...x, on: c.id } : x)); // riders follow the name
    edit(next, passing);
  };
  /** Puts another check in the place of one; a passing change is no step of the history. */
  const replace = (i: number, c: Check, passing: boolean) => edit(checks.map((x, n) => (n === i ? c : x)), passing);
  const chosen = () => (many ? checks.filter((c) => group.includes(c.id)) : check ? [check] : []);
  const remove = () => {
    const gone = new Set(chosen().map((c) => c.id));
    if (fixed || gone.size === 0) return;
    edit(checks.filter((c) => !gone.has(c.id)).map((c) => (c.on && gone.has(c.on) ? put(c, ["on"], undefined) : c)));
    choose(Math.max(0, index - 1));
  };
  const each = (f: (c: Check) => Check) => {
    const ids = new Set(chosen().map((c) => c.id));
    edit(checks.map((c) => (ids.has(c.id) ? f(c) : c)));
  };
  /** Puts checks in after the one that is chosen, under free names; those that ride on each other still do. */
  const insert = (list: Check[]) => {
    const all = [...checks];
    const names = new Map<string, string>();
    const fresh = list.map((c) => {
      const id = freeID([...all, ...([...names.values()].map((id) => ({ id, kind: "" })) as Check[])], c.id);
      names.set(c.id, id);
      return { ...c, id };
    });
    const kept = fresh.map((c) => {
      const on = c.on && (names.get(c.on) ?? (checks.some((x) => x.id === c.on) ? c.on : undefined));
      return put(c, ["on"], on || undefined);
    });
    edit([...all.slice(0, index + 1), ...kept, ...all.slice(index + 1)]);
    setShape(0);
    if (kept.length > 1) {
      setSeveral(kept.map((c) => c.id));
      setAt(index + 1);
    } else choose(index + 1);
  };
  const duplicate = () => !fixed && check && insert(chosen().map((c) => moved(c, 20, 20)));
  const copy = () => {
    if (!check) return;
    const clip: Clip = { from: k, checks: chosen() };
    localStorage.setItem("checks", JSON.stringify(clip));
    setClip(clip);
  };
  const paste = async () => {
    const clip = readClip();
    setClip(clip);
    if (fixed || !clip) return;
    setTrouble("");
    try {
      if (clip.from.product === k.product && clip.from.role === k.role) return insert(clip.checks.map((c) => moved(c, 20, 20)));
      // Masks and views come along, under names that nothing here has.
      const names = new Map<string, string>();
      for (const file of new Set(clip.checks.flatMap(filesOf))) {
        const name = e.draft.pictures.includes(file) ? `${clip.from.product}-${file}` : file;
        const res = await fetch(draftPictureURL(clip.from, file, "full"));
        if (!res.ok) throw new Error(`${file} of ${clip.from.product} cannot be read; copy the checks again.`);
        await putPicture(k, name, await res.blob());
        names.set(file, name);
      }
      const renamed = (v: unknown): unknown => (typeof v === "string" ? (names.get(v) ?? v) : Array.isArray(v) ? v.map(renamed) : isTree(v) ? Object.fromEntries(Object.entries(v).map(([n, x]) => [n, renamed(x)])) : v);
      insert(clip.checks.map((c) => renamed(c) as Check));
    } catch (x) {
      setTrouble(x instanceof Error ? x.message : String(x));
    }
  };
  const shift = (by: number) => {
    const other = checks[index + by];
    if (!check || !other || fixed) return;
    edit(checks.map((c, i) => (i === index ? other : i === index + by ? check : c)));
    setAt(index + by);
  };
  const move = (dx: number, dy: number, done: boolean) => edit(checksOf(e.before).map((c) => (group.includes(c.id) ? moved(c, dx, dy) : c)), !done);
  const frame = (x0: number, y0: number, x1: number, y1: number) => {
    const inside = checks.filter((c) =>
      shapesOf(c).some((s) => {
        const [a, b, c, d] = extentOf(s);
        return !aside.has(s.role) && a < x1 && c > x0 && b < y1 && d > y0;
      }),
    );
    if (inside.length > 1) gather(inside.map((c) => c.id));
    else if (inside[0]) choose(checks.indexOf(inside[0]));
  };
  const add = (c: Check) => {
    edit([...checks, c]);
    choose(checks.length);
  };
  const refresh = () => setClip(readClip());
  return { fixed, checks, index, check, shape, setShape, group: many ? group : [], many, choose, toggle, gather, set, put: replace, each, add, remove, duplicate, copy, paste, clip, refresh, shift, move, frame, trouble, setTrouble };
}

/** Checks that were copied, in this browser, from which recipe. */
interface Clip {
  from: Key;
  checks: Check[];
}

function readClip(): Clip | null {
  try {
    return JSON.parse(localStorage.getItem("checks") ?? "null") as Clip | null;
  } catch {
    return null;
  }
}

/** What lies on the picture, the chosen check's on top: of the others only where they look. */
export function layout(checks: Check[], index: number): { shapes: Shape[]; owner: number[]; first: number } {
  const shapes: Shape[] = [];
  const owner: number[] = [];
  checks.forEach((c, i) => {
    if (i === index) return;
    for (const s of shapesOf(c)) {
      if (aside.has(s.role)) continue;
      shapes.push(s);
      owner.push(i);
    }
  });
  const first = shapes.length;
  const mine = checks[index];
  for (const s of mine ? shapesOf(mine) : []) {
    shapes.push(s);
    owner.push(index);
  }
  return { shapes, owner, first };
}
