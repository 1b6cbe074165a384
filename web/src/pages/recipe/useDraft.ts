import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useState } from "react";
import { ServiceError } from "../../api/client";
import { draft as fetchDraft, saveDraft, tryDraft, type Choice, type Draft, type Key, type Tried } from "../../api/workbench";
import { begun, changed, put, redone, undone, type History, type Tree } from "../../lib/recipe";
import { changesOf, resolved } from "../../lib/variant";

/** The name under which this browser's person signs. */
export const myName = (): string => localStorage.getItem("who") ?? "";
export const sign = (who: string): void => localStorage.setItem("who", who);

export interface Editing {
  draft: Draft;
  tree: Tree;
  /** Of a variant its tree with all that its base has; else the tree itself. */
  whole: Tree;
  /** The whole as it was before a passing change. */
  before: Tree;
  /** Of a variant the tree of its base. */
  base?: Tree;
  /** What the service is told of a whole recipe: of a variant, what it changes of its base. */
  sent: (whole: Tree) => Tree;
  /** Changes the whole; of a variant what it says then of its base. */
  edit: (whole: Tree, passing?: boolean) => void;
  dirty: boolean;
  canUndo: boolean;
  canRedo: boolean;
  /** Changes the tree; a passing change, as while dragging, is no step of the history. */
  change: (tree: Tree, passing?: boolean) => void;
  undo: () => void;
  redo: () => void;
  save: () => Promise<boolean>;
  saving: boolean;
  /** What keeps a save from happening; a conflict has the name of what was kept. */
  trouble: { text: string; kept?: string } | null;
  /** Takes the other one's draft, or goes on with mine over it. */
  settle: (mine: boolean) => void;
  /** Goes on with a draft that the service has changed. */
  take: (d: Draft) => void;
}

/** A draft that is being edited: with undo, saved on request, never over somebody else's. */
export function useDraft(k: Key) {
  const client = useQueryClient();
  const name = ["draft", k.product, k.role];
  const got = useQuery({ queryKey: name, queryFn: () => fetchDraft(k), staleTime: Infinity });
  const [state, setState] = useState<{ of: string; tag: string; saved: string; steps: History<Tree>; passing: Tree | null } | null>(null);
  const [saving, setSaving] = useState(false);
  const [trouble, setTrouble] = useState<Editing["trouble"]>(null);
  const id = `${k.product}/${k.role}`;
  const load = useCallback((d: Draft) => setState({ of: `${d.product}/${d.role}`, tag: d.tag, saved: JSON.stringify(d.tree), steps: begun(d.tree as Tree), passing: null }), []);
  if (got.data && state?.of !== id) load(got.data);

  const ready = got.data && state && state.of === id;
  const tree = useMemo(() => state?.passing ?? state?.steps.now ?? {}, [state]);
  const save = async (tag = state?.tag ?? "") => {
    if (!state) return false;
    setSaving(true);
    setTrouble(null);
    try {
      const d = await saveDraft(k, state.steps.now, tag, myName());
      client.setQueryData(name, d);
      setState((s) => s && { ...s, tag: d.tag, saved: JSON.stringify(state.steps.now) });
      void client.invalidateQueries({ queryKey: ["recipes"] });
      return true;
    } catch (e) {
      setTrouble({ text: e instanceof Error ? e.message : String(e), kept: e instanceof ServiceError && e.problem.status === 412 ? (e.problem.kept ?? "") : undefined });
      return false;
    } finally {
      setSaving(false);
    }
  };
  const base = ready ? (got.data.below as Tree | undefined) : undefined;
  const now = state?.steps.now;
  const before = useMemo(() => (base && now ? resolved(base, now) : (now ?? {})), [base, now]);
  const whole = useMemo(() => (tree === now ? before : base ? resolved(base, tree) : tree), [base, tree, now, before]);
  const change = (t: Tree, passing = false) => setState((s) => s && (passing ? { ...s, passing: t } : { ...s, passing: null, steps: changed(s.steps, t) }));
  const sent = (w: Tree) => (base ? put(put(tree, ["change"], changesOf(base, w)), ["note"], w["note"] === base["note"] ? undefined : w["note"]) : w);
  const editing: Editing | null = ready
    ? {
        draft: got.data,
        tree,
        whole,
        before,
        base,
        sent,
        edit: (w, passing) => change(sent(w), passing),
        dirty: JSON.stringify(tree) !== state.saved,
        canUndo: state.steps.past.length > 0,
        canRedo: state.steps.future.length > 0,
        change,
        undo: () => setState((s) => s && { ...s, passing: null, steps: undone(s.steps) }),
        redo: () => setState((s) => s && { ...s, passing: null, steps: redone(s.steps) }),
        save: () => save(),
        saving,
        trouble,
        settle: (mine) => {
          setTrouble(null);
          void fetchDraft(k).then((d) => {
            client.setQueryData(name, d);
            if (mine) void save(d.tag);
            else load(d);
          });
        },
        take: (d) => {
          client.setQueryData(name, d);
          load(d);
          void client.invalidateQueries({ queryKey: ["recipes"] });
        },
      }
    : null;
  return { query: got, editing };
}

/** What the tree says of a picture, always of the newest tree that has an answer; while one is asked for, later ones wait. */
export function useTried(k: Key, tree: Tree | undefined, on: Choice, again = 0): { tried: Tried | null; pending: boolean; error: unknown } {
  const [tried, setTried] = useState<Tried | null>(null);
  const [error, setError] = useState<unknown>(null);
  const [asked, setAsked] = useState("");
  const want = tree ? JSON.stringify([k, tree, on, again]) : "";
  useEffect(() => {
    if (!want) return;
    const stop = new AbortController();
    const wait = setTimeout(() => {
      const [key, t, choice] = JSON.parse(want) as [Key, Tree, Choice, number];
      tryDraft(key, t, choice, stop.signal)
        .then((r) => {
          setTried(r);
          setError(null);
          setAsked(want);
        })
        .catch((e: unknown) => {
          if (stop.signal.aborted) return;
          setError(e);
          setAsked(want);
        });
    }, 40);
    return () => {
      clearTimeout(wait);
      stop.abort();
    };
  }, [want]);
  return { tried, pending: asked !== want, error };
}
