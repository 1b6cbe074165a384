import { Redo2, Undo2 } from "lucide-react";
import { useCallback, useEffect } from "react";
import { Link, useBlocker, useNavigate, useParams, useSearchParams } from "react-router";
import { useKeys } from "../../ui/keys";
import { Button, Confirm, Heading, Trouble, Waiting } from "../../ui/parts";
import { ChecksTab } from "./checks";
import { RevisionsTab } from "./revisions";
import { SamplesTab } from "./samples";
import { TrialTab } from "./trial";
import { WhatIfTab } from "./whatif";
import { useDraft } from "./useDraft";

const tabs = [
  ["checks", "Checks"],
  ["samples", "Samples"],
  ["trial", "Trial"],
  ["what-if", "What if"],
  ["revisions", "Release"],
] as const;

/** One recipe on the workbench: its checks on the picture, its samples, the trial, the release. */
export function RecipePage() {
  const { product = "", role = "", tab = "checks" } = useParams();
  const [params, setParams] = useSearchParams();
  const k = { product, role };
  const { query, editing: e } = useDraft(k);
  const go = useNavigate();
  const to = (t: string, search = "") => go(`/recipes/${product}/${role}/${t}${search}`);
  const picture = params.get("picture") ?? "reference";
  const setPicture = useCallback((p: string) => setParams(p === "reference" ? {} : { picture: p }, { replace: true }), [setParams]);
  const show = (sample: string) => to("checks", `?picture=${encodeURIComponent(`sample:${sample}`)}`);
  useKeys({ Escape: () => go("/recipes"), u: () => e?.undo(), U: () => e?.redo(), s: () => void (e?.dirty && e.save()) });
  useEffect(() => {
    const keys = (ev: KeyboardEvent) => {
      if (!(ev.ctrlKey || ev.metaKey)) return;
      const f = ev.key === "s" ? () => void e?.save() : ev.key === "z" && !ev.shiftKey ? e?.undo : ev.key === "y" || (ev.key.toLowerCase() === "z" && ev.shiftKey) ? e?.redo : undefined;
      if (!f || (ev.key !== "s" && ev.target instanceof HTMLInputElement && ev.target.type !== "range")) return;
      ev.preventDefault();
      f();
    };
    window.addEventListener("keydown", keys);
    return () => window.removeEventListener("keydown", keys);
  }, [e]);
  useEffect(() => {
    const stay = (ev: BeforeUnloadEvent) => e?.dirty && ev.preventDefault();
    window.addEventListener("beforeunload", stay);
    return () => window.removeEventListener("beforeunload", stay);
  }, [e?.dirty]);
  const leaving = useBlocker(({ currentLocation: a, nextLocation: b }) => Boolean(e?.dirty) && !b.pathname.startsWith(`/recipes/${product}/${role}`) && a.pathname !== b.pathname);
  if (query.isError)
    return (
      <>
        <Heading title={`${product} ${role}`} />
        <Trouble error={query.error} retry={() => void query.refetch()} />
        <Link to="/recipes" className="px-5 text-base font-medium text-accent-text underline">
          All recipes
        </Link>
      </>
    );
  if (!e) return <Waiting what={`the recipe ${product}`} />;
  const state = e.dirty ? "changed, not saved" : e.draft.problems.length > 0 ? "draft with problems" : e.draft.revision === e.draft.released ? "as released" : e.draft.released ? "draft differs from what is released" : "never released";
  return (
    <>
      <Heading
        title={product}
        action={
          <span className="flex items-center gap-2">
            <Button className="px-2!" hint="Undo" shortcut="u" aria-label="Undo" disabled={!e.canUndo} onClick={e.undo}>
              <Undo2 size={18} aria-hidden />
            </Button>
            <Button className="px-2!" hint="Redo" shortcut="Shift U" aria-label="Redo" disabled={!e.canRedo} onClick={e.redo}>
              <Redo2 size={18} aria-hidden />
            </Button>
            <Button kind={e.dirty ? "main" : "plain"} hint="Save the draft" shortcut="s" disabled={!e.dirty || e.saving} onClick={() => void e.save()}>
              {e.saving ? "Saving…" : "Save draft"}
            </Button>
          </span>
        }
      >
        <span>{role}</span>
        <span data-testid="draft-state">{state}</span>
        <nav aria-label="Recipe" className="flex gap-1">
          {tabs.map(([t, word]) => (
            <Link
              key={t}
              to={`/recipes/${product}/${role}/${t}`}
              aria-current={tab === t ? "page" : undefined}
              className={`inline-flex min-h-11 items-center border-b-4 px-3 text-base font-medium no-underline ${tab === t ? "border-accent text-ink" : "border-transparent text-ink-2 hover:bg-wash"}`}
            >
              {word}
            </Link>
          ))}
        </nav>
      </Heading>
      {e.trouble && e.trouble.kept === undefined && (
        <p role="alert" className="m-0 border-b border-hairline px-5 py-2 text-base text-reject">
          Not saved: {e.trouble.text}
        </p>
      )}
      {e.trouble?.kept !== undefined && (
        <div role="alert" className="flex flex-wrap items-center gap-3 border-b border-hairline bg-wash px-5 py-2">
          <p className="m-0 min-w-0 flex-1 text-base">
            <span className="font-semibold">Somebody else has saved this draft since you opened it.</span> Yours is kept as <span className="font-mono text-sm">{e.trouble.kept}</span>, so nothing is lost whichever you choose.
          </p>
          <Button onClick={() => e.settle(false)}>Take theirs</Button>
          <Button kind="main" onClick={() => e.settle(true)}>
            Save mine over it
          </Button>
        </div>
      )}
      {tab === "samples" ? (
        <SamplesTab k={k} e={e} show={show} />
      ) : tab === "trial" ? (
        <TrialTab k={k} e={e} show={show} toSamples={() => to("samples")} />
      ) : tab === "what-if" ? (
        <WhatIfTab k={k} e={e} toChecks={() => to("checks")} />
      ) : tab === "revisions" ? (
        <RevisionsTab k={k} e={e} />
      ) : (
        <ChecksTab k={k} e={e} picture={picture} setPicture={setPicture} />
      )}
      <Confirm
        open={leaving.state === "blocked"}
        onOpenChange={(open) => !open && leaving.reset?.()}
        title="Leave without saving?"
        text="Your changes to this draft are not saved yet and would be lost."
        yes="Leave"
        onYes={() => leaving.proceed?.()}
      />
    </>
  );
}
