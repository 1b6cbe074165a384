/* The tree of a recipe's document, as plain values: changed without changing what was. */

export type Tree = { [name: string]: unknown };
export type Path = readonly (string | number)[];

export const isTree = (v: unknown): v is Tree => typeof v === "object" && v !== null && !Array.isArray(v);

export function get(v: unknown, path: Path): unknown {
  for (const step of path) {
    if (Array.isArray(v) && typeof step === "number") v = v[step];
    else if (isTree(v) && typeof step === "string") v = v[step];
    else return undefined;
  }
  return v;
}

/** Returns the value with another one at the path; undefined takes it away. */
export function put<T>(v: T, path: Path, to: unknown): T {
  const [step, ...rest] = path;
  if (step === undefined) return to as T;
  if (typeof step === "number") {
    const out = Array.isArray(v) ? [...(v as unknown[])] : [];
    if (rest.length === 0 && to === undefined) out.splice(step, 1);
    else out[step] = put(out[step], rest, to);
    return out as T;
  }
  const out: Tree = isTree(v) ? { ...v } : {};
  const next = put(out[step], rest, to);
  if (next === undefined) delete out[step];
  else out[step] = next;
  return out as T;
}

export interface Check extends Tree {
  id: string;
  kind: string;
  on?: string;
}

export const checksOf = (tree: Tree): Check[] => (Array.isArray(tree["checks"]) ? (tree["checks"] as Check[]) : []);

/** The checks in the order in which they ride on each other, each with its depth. */
export function riding(checks: Check[]): { check: Check; index: number; depth: number }[] {
  const out: { check: Check; index: number; depth: number }[] = [];
  const ids = new Set(checks.map((c) => c.id));
  const add = (on: string | undefined, depth: number) => {
    checks.forEach((check, index) => {
      const base = check.on && ids.has(check.on) && check.on !== check.id ? check.on : undefined;
      if (base !== on || out.some((o) => o.index === index)) return;
      out.push({ check, index, depth });
      add(check.id, depth + 1);
    });
  };
  add(undefined, 0);
  checks.forEach((check, index) => {
    if (!out.some((o) => o.index === index)) out.push({ check, index, depth: 0 }); // riding in a circle
  });
  return out;
}

export type Form = "rect" | "circle" | "ring" | "polygon" | "arrow" | "arc";

/** Something of a check that lies on the picture. */
export interface Shape {
  path: Path; // of the object that holds it, from the check
  form: Form;
  turn: number;
  numbers: number[]; // of a polygon x, y, x, y, …
  role: string; // the setting that it belongs to
}

const forms: Form[] = ["rect", "circle", "ring", "polygon", "arrow", "arc"];

const known = new WeakMap<Tree, Shape[]>();

/** All regions, arrows and arcs of a check, however deep. The same check has the same ones. */
export function shapesOf(check: Tree): Shape[] {
  const before = known.get(check);
  if (before) return before;
  const out: Shape[] = [];
  const walk = (v: unknown, path: (string | number)[]) => {
    if (Array.isArray(v)) return v.forEach((x, i) => walk(x, [...path, i]));
    if (!isTree(v)) return;
    for (const form of forms) {
      const n = v[form];
      if (!Array.isArray(n)) continue;
      out.push({ path, form, turn: typeof v["turn"] === "number" && form === "rect" ? v["turn"] : 0, numbers: (n as unknown[]).flat() as number[], role: String(path[0] ?? form) });
    }
    for (const [k, x] of Object.entries(v)) if (!forms.includes(k as Form) && k !== "limits" && k !== "copies") walk(x, [...path, k]);
  };
  walk(check, []);
  known.set(check, out);
  return out;
}

/** The check with everything that lies on the picture shifted. */
export const moved = (check: Check, dx: number, dy: number): Check => shapesOf(check).reduce((c, s) => withShape(c, s, shifted(s, dx, dy)), check);

/** The part of the picture that a shape takes: from x, y to x, y. */
export function extentOf(s: Shape): [number, number, number, number] {
  const n = s.numbers;
  const at = (i: number) => n[i] ?? 0;
  if (s.form === "rect") {
    const [cx, cy] = [at(0) + at(2) / 2, at(1) + at(3) / 2];
    const [c, d] = [Math.abs(Math.cos((s.turn * Math.PI) / 180)), Math.abs(Math.sin((s.turn * Math.PI) / 180))];
    const [w, h] = [at(2) * c + at(3) * d, at(2) * d + at(3) * c];
    return [cx - w / 2, cy - h / 2, cx + w / 2, cy + h / 2];
  }
  if (s.form === "polygon" || s.form === "arrow") {
    const xs = n.filter((_, i) => i % 2 === 0);
    const ys = n.filter((_, i) => i % 2 === 1);
    return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
  }
  const r = s.form === "ring" ? at(3) : at(2);
  return [at(0) - r, at(1) - r, at(0) + r, at(1) + r];
}

/** The picture files that a check names. */
export function filesOf(v: unknown): string[] {
  if (typeof v === "string") return /\.(png|jpe?g|bmp|tiff?)$/i.test(v) ? [v] : [];
  if (Array.isArray(v)) return v.flatMap(filesOf);
  return isTree(v) ? Object.values(v).flatMap(filesOf) : [];
}

/** Many copies of a check in rows and columns, as its document says it. */
export interface Grid {
  columns: number;
  rows: number;
  step: [number, number];
}

export function gridOf(check: Tree): Grid | undefined {
  const g = check["copies"];
  if (!isTree(g)) return undefined;
  const step = Array.isArray(g["step"]) ? (g["step"] as number[]) : [];
  return { columns: Number(g["columns"] ?? 1), rows: Number(g["rows"] ?? 1), step: [step[0] ?? 0, step[1] ?? 0] };
}

/** Where the copies lie, from the first one. */
export const placesOf = (g: Grid): [number, number][] => Array.from({ length: Math.max(1, g.columns) * Math.max(1, g.rows) }, (_, i) => [(i % g.columns) * g.step[0], Math.floor(i / g.columns) * g.step[1]]);

/** Writes a shape's numbers back into its check. Places are kept to a tenth of a pixel. */
export function withShape(check: Check, s: Shape, numbers: number[], turn = s.turn): Check {
  const round = numbers.map((n) => Math.round(n * 10) / 10);
  const value = s.form === "polygon" ? pairs(round) : round;
  let out = put(check, [...s.path, s.form], value);
  if (s.form === "rect" && (turn !== 0 || get(check, [...s.path, "turn"]) !== undefined) && s.path.length > 0) out = put(out, [...s.path, "turn"], turn === 0 ? undefined : Math.round(turn * 10) / 10);
  return out;
}

export const pairs = (n: number[]): [number, number][] => Array.from({ length: n.length >> 1 }, (_, i) => [n[2 * i] ?? 0, n[2 * i + 1] ?? 0]);

/** A handle of a shape: where it is, and what numbers (and turn) follow when it is dragged. */
export interface Handle {
  x: number;
  y: number;
  name: string;
  drag: (x: number, y: number) => { numbers: number[]; turn?: number };
  /** The numbers without it, where it can be taken away. */
  without?: number[];
}

const rotate = (x: number, y: number, deg: number): [number, number] => {
  const a = (deg * Math.PI) / 180;
  return [x * Math.cos(a) - y * Math.sin(a), x * Math.sin(a) + y * Math.cos(a)];
};

/** Where the shape can be taken hold of, besides its inside. */
export function handlesOf(s: Shape): Handle[] {
  const n = s.numbers;
  const at = (i: number) => n[i] ?? 0;
  switch (s.form) {
    case "rect": {
      const [x, y, w, h] = [at(0), at(1), at(2), at(3)];
      const [cx, cy] = [x + w / 2, y + h / 2];
      const out: Handle[] = [];
      for (const [sx, sy, name] of [
        [-1, -1, "top left"],
        [1, -1, "top right"],
        [1, 1, "bottom right"],
        [-1, 1, "bottom left"],
        [0, -1, "top"],
        [1, 0, "right"],
        [0, 1, "bottom"],
        [-1, 0, "left"],
      ] as const) {
        const [dx, dy] = rotate((sx * w) / 2, (sy * h) / 2, s.turn);
        out.push({
          x: cx + dx,
          y: cy + dy,
          name,
          drag: (px, py) => {
            // The opposite side stays where it is.
            const [ox, oy] = rotate((-sx * w) / 2, (-sy * h) / 2, s.turn);
            const [fx, fy] = [cx + ox, cy + oy];
            const [ux, uy] = rotate(px - fx, py - fy, -s.turn);
            const nw = sx === 0 ? w : Math.max(2, ux * sx);
            const nh = sy === 0 ? h : Math.max(2, uy * sy);
            const [mx, my] = rotate((sx * nw) / 2, (sy * nh) / 2, s.turn);
            return { numbers: [fx + mx - nw / 2, fy + my - nh / 2, nw, nh] };
          },
        });
      }
      if (s.path.length > 0) {
        const [tx, ty] = rotate(w / 2 + 34, 0, s.turn);
        out.push({ x: cx + tx, y: cy + ty, name: "turn", drag: (px, py) => ({ numbers: n, turn: Math.round((Math.atan2(py - cy, px - cx) * 180) / Math.PI) }) });
      }
      return out;
    }
    case "circle":
      return [{ x: at(0) + at(2), y: at(1), name: "radius", drag: (x, y) => ({ numbers: [at(0), at(1), Math.max(1, Math.hypot(x - at(0), y - at(1)))] }) }];
    case "ring":
      return [
        { x: at(0) + at(3), y: at(1), name: "outer radius", drag: (x, y) => ({ numbers: [at(0), at(1), at(2), Math.max(at(2) + 1, Math.hypot(x - at(0), y - at(1)))] }) },
        { x: at(0) + at(2), y: at(1), name: "inner radius", drag: (x, y) => ({ numbers: [at(0), at(1), Math.min(at(3) - 1, Math.max(1, Math.hypot(x - at(0), y - at(1)))), at(3)] }) },
      ];
    case "polygon":
      return pairs(n).map(([x, y], i) => ({ x, y, name: `corner ${i + 1}`, ...(n.length > 6 ? { without: [...n.slice(0, 2 * i), ...n.slice(2 * i + 2)] } : {}), drag: (px: number, py: number) => ({ numbers: n.map((v, k) => (k === 2 * i ? px : k === 2 * i + 1 ? py : v)) }) }));
    case "arrow":
      return [
        { x: at(0), y: at(1), name: "begin", drag: (x, y) => ({ numbers: [x, y, at(2), at(3)] }) },
        { x: at(2), y: at(3), name: "end", drag: (x, y) => ({ numbers: [at(0), at(1), x, y] }) },
      ];
    case "arc":
      return [];
  }
}

/** The numbers of a shape shifted. */
export function shifted(s: Shape, dx: number, dy: number): number[] {
  const all = s.form === "polygon" || s.form === "arrow";
  return s.numbers.map((v, i) => (all || i < 2 ? v + (i % 2 === 0 ? dx : dy) : v));
}

/** A free id like the wanted one. */
export function freeID(checks: Check[], like: string): string {
  const taken = new Set(checks.map((c) => c.id));
  if (!taken.has(like)) return like;
  for (let n = 2; ; n++) if (!taken.has(`${like}_${n}`)) return `${like}_${n}`;
}

/** Whether a kind looks at what other checks found, and not at the picture. */
export const asksOthers = (kind: string) => kind.startsWith("logic.") || kind === "print.agree";

/** A check of a kind to begin with, in the middle of a picture of w×h. */
export function starter(kind: string, checks: Check[], datum: string | undefined, w: number, h: number): Check {
  const r = (v: number) => Math.round(v);
  const rect = [r(w * 0.4), r(h * 0.4), r(w * 0.2), r(h * 0.2)];
  const region = { rect };
  const across = { arrow: [r(w * 0.4), r(h * 0.5), r(w * 0.5), r(h * 0.5)], width: r(h * 0.1) };
  const back = { arrow: [r(w * 0.5), r(h * 0.5), r(w * 0.6), r(h * 0.5)], width: r(h * 0.1) };
  const down = { arrow: [r(w * 0.5), r(h * 0.4), r(w * 0.5), r(h * 0.5)], width: r(w * 0.1) };
  const ring = { ring: [r(w / 2), r(h / 2), r(h * 0.1), r(h * 0.2)] };
  const readers = checks.filter((c) => c.kind === "print.text" || c.kind === "print.code").map((c) => c.id);
  const own: Record<string, Tree> = {
    "locate.edges": { edges: [down, across] },
    "locate.disc": { region: ring },
    "locate.spot": { region, tone: { least: 128 } },
    "presence.tone": { region, tone: { most: 100 } },
    "count.spots": { region, auto: "lighter" },
    "count.edges": { arrow: [r(w * 0.3), r(h * 0.5), r(w * 0.7), r(h * 0.5)], width: 20 },
    "color.amount": { region, picked: [{ rect: [r(w * 0.48), r(h * 0.48), r(w * 0.04), r(h * 0.04)] }] },
    "color.order": { region: { rect: [r(w * 0.2), r(h * 0.45), r(w * 0.6), r(h * 0.1)] }, expect: ["first", "second", "third"] },
    "measure.gap": { from: across, to: back },
    "measure.angle": { first: down, second: across },
    "measure.circle": { region: ring },
    "measure.rim": { region: ring },
    "print.text": { region: { rect: [r(w * 0.3), r(h * 0.45), r(w * 0.4), r(h * 0.1)] } },
    "print.quality": { region: { rect: [r(w * 0.3), r(h * 0.45), r(w * 0.4), r(h * 0.1)] }, text: "12345" },
    "print.agree": { first: { of: `${readers[0] ?? "order"}.${readers[0] ? "text" : "lot"}` }, second: { of: readers[1] ? `${readers[1]}.text` : "order.lot" } },
    "logic.rule": { when: checks[0] ? `${checks[0].id}.ok` : "true" },
  };
  const name = kind.split(".")[1] ?? kind;
  const rides = datum && !asksOthers(kind) && !kind.startsWith("locate.") ? { on: datum } : {};
  return { id: freeID(checks, name), kind, ...rides, ...(own[kind] ?? { region }) };
}

/** A history of values: undo and redo without end. */
export interface History<T> {
  past: T[];
  now: T;
  future: T[];
}

export const begun = <T>(now: T): History<T> => ({ past: [], now, future: [] });
export const changed = <T>(h: History<T>, now: T): History<T> => ({ past: [...h.past, h.now], now, future: [] });
export function undone<T>(h: History<T>): History<T> {
  const last = h.past.at(-1);
  return last === undefined ? h : { past: h.past.slice(0, -1), now: last, future: [h.now, ...h.future] };
}
export function redone<T>(h: History<T>): History<T> {
  const [next, ...rest] = h.future;
  return next === undefined ? h : { past: [...h.past, h.now], now: next, future: rest };
}
