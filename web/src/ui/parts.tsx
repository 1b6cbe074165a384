import { AlertDialog, Tooltip } from "radix-ui";
import type { ReactNode } from "react";
import { Link } from "react-router";
import { NoAnswer, ServiceError, type Item, type Station } from "../api/client";
import { verdictOf, wordOf } from "../lib/verdict";
import { colorOf, Mark } from "./marks";

/** How a field or a choice looks. */
export const fieldLook = "min-h-11 rounded-md border border-hairline bg-sheet px-3 text-base text-ink";

/** Stations to choose from, as people call them. */
export const StationOptions = ({ list }: { list: Pick<Station, "id" | "line" | "name">[] }) =>
  list.map((s) => (
    <option key={s.id} value={s.id}>
      {`${s.line}: ${s.name}`}
    </option>
  ));

/** Mark and word of a verdict, always together. */
export function Verdict({ item, size = "md" }: { item: Pick<Item, "route" | "fault">; size?: "md" | "lg" }) {
  const state = verdictOf(item);
  return (
    <span className={`inline-flex items-center font-semibold ${size === "lg" ? "gap-3 text-2xl" : "gap-2 text-base"} ${colorOf(state)}`}>
      <Mark state={state} size={size === "lg" ? 44 : 20} />
      {wordOf(item)}
    </span>
  );
}

/** The heading line of a page: where one is, in what state, and the main action. */
export function Heading({ title, children, action }: { title: string; children?: ReactNode; action?: ReactNode }) {
  return (
    <header className="flex min-h-18 flex-wrap items-center gap-x-5 gap-y-1 border-b border-hairline px-5 py-2">
      <h1 className="text-xl font-semibold">{title}</h1>
      <div className="flex flex-1 flex-wrap items-center gap-x-5 gap-y-1 text-ink-2">{children}</div>
      {action}
    </header>
  );
}

const look = {
  main: "bg-accent text-accent-ink border-transparent hover:brightness-95",
  plain: "bg-sheet text-ink border-hairline hover:bg-wash",
} as const;

interface ButtonProps extends React.ButtonHTMLAttributes<HTMLButtonElement> {
  kind?: keyof typeof look;
  /** Shown as a tooltip together with the key. */
  hint?: string;
  shortcut?: string;
}

/** A button of at least 44 px, with its key in the tooltip. */
export function Button({ kind = "plain", hint, shortcut, className = "", ...rest }: ButtonProps) {
  const b = (
    <button
      type="button"
      aria-keyshortcuts={shortcut}
      className={`inline-flex min-h-11 min-w-11 items-center justify-center gap-2 rounded-md border px-4 text-base font-medium disabled:opacity-50 ${look[kind]} ${className}`}
      {...rest}
    />
  );
  if (!hint && !shortcut) return b;
  return (
    <Tooltip.Root delayDuration={400}>
      <Tooltip.Trigger asChild>{b}</Tooltip.Trigger>
      <Tooltip.Portal>
        <Tooltip.Content sideOffset={6} className="z-50 rounded-md bg-ink px-3 py-1.5 text-sm text-paper">
          {hint}
          {shortcut && <kbd className="ml-2 rounded border border-paper/40 px-1.5 font-mono text-sm">{shortcut.toUpperCase()}</kbd>}
        </Tooltip.Content>
      </Tooltip.Portal>
    </Tooltip.Root>
  );
}

/** Asks before something that is felt at the line. */
export function Confirm(p: { open: boolean; onOpenChange: (open: boolean) => void; title: string; text: string; yes: string; onYes: () => void }) {
  return (
    <AlertDialog.Root open={p.open} onOpenChange={p.onOpenChange}>
      <AlertDialog.Portal>
        <AlertDialog.Overlay className="fixed inset-0 z-40 bg-black/50" />
        <AlertDialog.Content className="fixed left-1/2 top-1/2 z-50 w-[min(32rem,calc(100vw-2rem))] -translate-x-1/2 -translate-y-1/2 rounded-lg bg-sheet p-6">
          <AlertDialog.Title className="text-xl font-semibold">{p.title}</AlertDialog.Title>
          <AlertDialog.Description className="mt-2 text-base text-ink-2">{p.text}</AlertDialog.Description>
          <div className="mt-6 flex justify-end gap-3">
            <AlertDialog.Cancel asChild>
              <Button>Go back</Button>
            </AlertDialog.Cancel>
            <AlertDialog.Action asChild>
              <Button kind="main" onClick={p.onYes}>
                {p.yes}
              </Button>
            </AlertDialog.Action>
          </div>
        </AlertDialog.Content>
      </AlertDialog.Portal>
    </AlertDialog.Root>
  );
}

/** An empty place says what will appear and offers the step that makes it appear. */
export function Empty({ title, children, action }: { title: string; children: ReactNode; action?: ReactNode }) {
  return (
    <div className="flex flex-col items-start gap-3 px-5 py-10">
      <p className="text-lg font-semibold">{title}</p>
      <p className="max-w-prose text-base text-ink-2">{children}</p>
      {action}
    </div>
  );
}

/** What the address names is not there, with the way to what is. */
export const NotThere = ({ title, what }: { title: string; what: string }) => (
  <>
    <Heading title={title} />
    <Empty
      title={`There is no ${what}`}
      action={
        <Link to="/floor" className="text-base font-medium text-accent-text underline">
          Go to the floor
        </Link>
      }
    >
      It may have been renamed in site.yaml. The floor shows those there are.
    </Empty>
  </>
);

/** Tells what went wrong, in the service's words, with a way on. */
export function Trouble({ error, retry }: { error: unknown; retry: () => void }) {
  const text = error instanceof ServiceError || error instanceof NoAnswer ? error.message : "This page could not be shown. Try again; if it stays so, tell whoever looks after Ricetta.";
  const title = error instanceof ServiceError ? error.problem.title : "No answer";
  return (
    <Empty title={title} action={<Button onClick={retry}>Try again</Button>}>
      {text}
    </Empty>
  );
}

/** Something is on its way. It never stays: every request ends or fails. */
export const Waiting = ({ what }: { what: string }) => (
  <p role="status" className="px-5 py-10 text-base text-ink-2">
    Fetching {what}…
  </p>
);
