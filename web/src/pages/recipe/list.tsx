import { ClipboardPaste, Plus } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import type { Finding } from "../../api/client";
import type { KindInfo, Tried } from "../../api/workbench";
import { riding, type Check } from "../../lib/recipe";
import { stateOf } from "../../lib/verdict";
import { Mark } from "../../ui/marks";
import { Button } from "../../ui/parts";
import type { useChecks } from "./useChecks";

/** What kinds are for, in the words of who needs one. */
const needs: [string, string][] = [
  ["locate", "Find"],
  ["presence", "Is it there"],
  ["count", "Count"],
  ["color", "Color"],
  ["measure", "Measure"],
  ["print", "Print"],
  ["logic", "Decide"],
];

/** What was found by a check; of one with copies the worst of theirs. */
export function findingOf(tried: Tried | null, check: Check): Finding | undefined {
  const mine = tried?.findings.filter((f) => f.check === check.id || (check["copies"] !== undefined && f.check.replace(/_\d+$/, "") === check.id)) ?? [];
  return mine.find((f) => f.outcome === "fault") ?? mine.find((f) => f.outcome === "failed") ?? mine[0];
}

/** The checks as a tree of what rides on what, with how each judges the present picture. */
export function CheckList({ c, tried, kinds, wrong, add }: { c: ReturnType<typeof useChecks>; tried: Tried | null; kinds: KindInfo[]; wrong: (index: number) => boolean; add: (kind: string) => void }) {
  const copied = c.clip?.checks.length ?? 0;
  return (
    <nav aria-label="Checks" className="flex min-h-0 flex-col overflow-y-auto border-r border-hairline" onPointerEnter={c.refresh}>
      {c.fixed ? (
        <p className="m-0 border-b border-hairline px-4 py-2 text-sm text-ink-2">A variant has the checks of its base. What you change here is its own; the rest follows the base.</p>
      ) : (
        <div className="flex flex-col gap-2 border-b border-hairline p-2">
          <AddCheck kinds={kinds} add={add} />
          {copied > 0 && (
            <Button className="w-full" hint={`Copied from ${c.clip?.from.product}; Ctrl V`} onClick={() => void c.paste()}>
              <ClipboardPaste size={18} aria-hidden /> Paste {copied === 1 ? "one check" : `${copied} checks`}
            </Button>
          )}
        </div>
      )}
      {c.trouble && (
        <p role="alert" className="m-0 border-b border-hairline px-4 py-2 text-sm text-reject">
          {c.trouble}
        </p>
      )}
      {c.checks.length === 0 && <p className="px-4 py-3 text-base text-ink-2">No checks yet. Begin with “Find”: it tells where the item lies, and the others ride on it.</p>}
      <ul className="m-0 list-none p-0">
        {riding(c.checks).map(({ check, index, depth }) => {
          const f = findingOf(tried, check);
          const chosen = c.many ? c.group.includes(check.id) : index === c.index;
          return (
            <li key={check.id}>
              <button
                type="button"
                aria-current={chosen}
                onClick={(ev) => (ev.shiftKey || ev.ctrlKey || ev.metaKey ? c.toggle(index) : c.choose(index))}
                className={`flex min-h-11 w-full items-center gap-2 border-l-4 pr-3 text-left ${chosen ? "border-accent bg-wash" : "border-transparent hover:bg-wash"}`}
                style={{ paddingLeft: `${10 + depth * 16}px` }}
              >
                <Mark state={f && !wrong(index) ? stateOf(f) : "not_judged"} size={18} />
                <span className="min-w-0 flex-1">
                  <span className="block truncate font-mono text-sm">{check.id}</span>
                  <span className="block truncate text-sm text-ink-2">{check["off"] === true ? "switched off" : wrong(index) ? "has a problem" : check.kind}</span>
                </span>
              </button>
            </li>
          );
        })}
      </ul>
      {c.checks.length > 1 && <p className="m-0 px-4 py-2 text-sm text-ink-2">Shift with a press takes more of them; Shift with a drag on the picture frames them.</p>}
    </nav>
  );
}

function AddCheck({ kinds, add }: { kinds: KindInfo[]; add: (kind: string) => void }) {
  return (
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
  );
}
