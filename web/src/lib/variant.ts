/* A variant takes everything from its base but what it changes, named by paths as in
   tips/limits/count. Here its whole recipe is made of both, and the changes of that. */
import { checksOf, get, isTree, put, type Check, type Tree } from "./recipe";

/** Equal in all but the order of fields. */
function same(a: unknown, b: unknown): boolean {
  if (Array.isArray(a)) return Array.isArray(b) && a.length === b.length && a.every((x, i) => same(x, b[i]));
  if (isTree(a)) return isTree(b) && Object.keys(a).length === Object.keys(b).length && Object.keys(a).every((k) => k in b && same(a[k], b[k]));
  return a === b;
}

/** The whole recipe that a variant's changes make of its base. */
export function resolved(base: Tree, variant: Tree): Tree {
  let out: Tree = { ...base, product: variant["product"], role: variant["role"] ?? base["role"], note: variant["note"] ?? base["note"] };
  if (out["note"] === undefined) delete out["note"];
  const change = isTree(variant["change"]) ? variant["change"] : {};
  for (const name of Object.keys(change).sort()) {
    const [first = "", ...rest] = name.split("/");
    const to = change[name] ?? undefined; // null takes the base's away
    const at = checksOf(out).findIndex((c) => c.id === first);
    if (first === "routes" || first === "picture" || first === "note") out = put(out, [first, ...rest], to);
    else if (at >= 0) out = put(out, ["checks", at, ...rest], to);
  }
  return out;
}

/** What a variant must change so that its base becomes the whole recipe. Checks are taken by their ids. */
export function changesOf(base: Tree, whole: Tree): Tree {
  const change: Tree = {};
  const differ = (path: string, was: Tree, now: Tree, deep: boolean) => {
    for (const k of new Set([...Object.keys(was), ...Object.keys(now)])) {
      if (same(was[k], now[k])) continue;
      if (deep && k === "limits" && isTree(was[k]) && isTree(now[k])) differ(`${path}/limits`, was[k], now[k], false);
      else change[`${path}/${k}`] = now[k] ?? null;
    }
  };
  if (!same(base["routes"], whole["routes"])) change["routes"] = whole["routes"] ?? null;
  differ("picture", (base["picture"] ?? {}) as Tree, (whole["picture"] ?? {}) as Tree, false);
  for (const c of checksOf(whole)) {
    const was = checksOf(base).find((x) => x.id === c.id);
    if (was) differ(c.id, was, c, true);
  }
  return change;
}

/** Whether a setting of a check is the variant's own. */
export const ownOf = (base: Check | undefined, check: Check, path: readonly string[]): boolean => base !== undefined && !same(get(base, path), get(check, path));
