import { useQuery } from "@tanstack/react-query";
import { BarChart3, Bell, BookOpen, Cable, Factory, Keyboard, LayoutDashboard, ListChecks, Moon, Sun } from "lucide-react";
import { Dialog } from "radix-ui";
import { useEffect, useState, type ReactNode } from "react";
import { Link, NavLink, Outlet, useLocation, useNavigate } from "react-router";
import { about, standingAlarms } from "../api/client";
import { useConnected, useLive } from "../api/live";
import { useKeys } from "./keys";
import { Button } from "./parts";

function RailLink({ to, icon, children }: { to: string; icon: ReactNode; children: string }) {
  return (
    <NavLink
      to={to}
      className={({ isActive }) =>
        `flex h-16 flex-col items-center justify-center gap-1 border-l-4 text-sm font-medium no-underline max-sm:h-14 max-sm:flex-1 max-sm:border-l-0 max-sm:border-t-4 ${
          isActive ? "border-accent bg-wash text-ink" : "border-transparent text-ink-2 hover:bg-wash"
        }`
      }
    >
      {icon}
      {children}
    </NavLink>
  );
}

/** Light or dark: what the person chose, else what the screen prefers. */
function useTheme(): [boolean, () => void] {
  const [chosen, setChosen] = useState(() => localStorage.getItem("theme"));
  useEffect(() => {
    if (chosen) document.documentElement.dataset.theme = chosen;
    else delete document.documentElement.dataset.theme;
  }, [chosen]);
  const dark = chosen ? chosen === "dark" : window.matchMedia("(prefers-color-scheme: dark)").matches;
  return [
    dark,
    () => {
      const next = dark ? "light" : "dark";
      localStorage.setItem("theme", next);
      setChosen(next);
    },
  ];
}

const keys: [string, string][] = [
  ["1", "Floor"],
  ["2", "Recipes"],
  ["3", "Items"],
  ["4", "Signals"],
  ["5", "Alarms"],
  ["6", "Statistics"],
  ["7", "Boards"],
  ["O", "Overlays on and off"],
  ["S", "Start or stop the line"],
  ["C", "Change over, on a line's page"],
  ["F", "Freeze the live picture, and go on"],
  ["← →", "Newer and older item, where one is open"],
  ["↑ ↓ Enter", "Choose and open an item in the list"],
  ["U, Shift U", "Undo and redo, in a recipe"],
  ["N P", "Next and previous check"],
  ["C, arrows, [ ]", "Next region of the check; move and turn it"],
  ["+ - 0", "Closer, farther, all of the picture"],
  [", . R", "Previous and next sample, the reference"],
  ["Esc", "One step back"],
  ["T", "Light or dark"],
  ["?", "These keys"],
];

function Help({ open, onOpenChange }: { open: boolean; onOpenChange: (v: boolean) => void }) {
  const a = useQuery({ queryKey: ["about"], queryFn: about });
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/50" />
        <Dialog.Content aria-describedby={undefined} className="fixed left-1/2 top-1/2 z-50 w-[min(30rem,calc(100vw-2rem))] -translate-x-1/2 -translate-y-1/2 rounded-lg bg-sheet p-6">
          <Dialog.Title className="text-xl font-semibold">Keys</Dialog.Title>
          <dl className="mt-4 grid grid-cols-[8rem_1fr] gap-y-2 text-base">
            {keys.map(([k, what]) => (
              <div key={k} className="contents">
                <dt className="font-mono">{k}</dt>
                <dd className="m-0">{what}</dd>
              </div>
            ))}
          </dl>
          <p className="mt-5 text-sm text-ink-2">
            Ricetta {a.data?.version ?? ""} at {a.data?.site ?? "…"}
            {a.data?.demo ? ", simulated" : ""}
          </p>
          <div className="mt-4 flex justify-end">
            <Dialog.Close asChild>
              <Button>Close</Button>
            </Dialog.Close>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

/** On every page: what waits for somebody, in one line that leads there. */
function AlarmLine() {
  const list = useQuery({ queryKey: ["alarms"], queryFn: standingAlarms });
  const here = useLocation().pathname === "/alarms";
  const waiting = (list.data ?? []).filter((a) => !a.acknowledged);
  const worst = waiting.find((a) => a.holds) ?? waiting.at(-1);
  if (here || !worst) return null;
  const where = worst.station || worst.line;
  return (
    <div role="alert">
    <Link to="/alarms" className="flex items-center gap-3 border-b border-hairline bg-sheet px-5 py-2 text-base text-ink no-underline hover:bg-wash">
      <Bell size={20} aria-hidden className={worst.holds ? "shrink-0 text-reject" : "shrink-0 text-fault"} />
      <span className="min-w-0 flex-1 truncate">
        {where ? <span className="font-semibold">{where}: </span> : null}
        {worst.text}
      </span>
      <span className="shrink-0 text-accent-text underline">{waiting.length === 1 ? "1 alarm waits" : `${waiting.length} alarms wait`}</span>
    </Link>
    </div>
  );
}

/** The frame of every page: the rail, a word when the service is away, the page. */
export function Shell() {
  useLive();
  const connected = useConnected();
  const [dark, toggleTheme] = useTheme();
  const [help, setHelp] = useState(false);
  const go = useNavigate();
  useKeys({ "1": () => go("/floor"), "2": () => go("/recipes"), "3": () => go("/items"), "4": () => go("/signals"), "5": () => go("/alarms"), "6": () => go("/statistics"), "7": () => go("/boards"), t: toggleTheme, "?": () => setHelp(true) });
  return (
    <div className="grid h-dvh grid-cols-[5.5rem_1fr] max-sm:grid-cols-1 max-sm:grid-rows-[1fr_auto]">
      <a href="#page" className="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:bg-sheet focus:p-3">
        To the page
      </a>
      <nav aria-label="Main" className="flex flex-col border-r border-hairline max-sm:order-2 max-sm:flex-row max-sm:border-r-0 max-sm:border-t">
        <div className="flex h-18 items-center justify-center max-sm:hidden">
          <img src="/favicon.svg" alt="Ricetta" width={40} height={40} />
        </div>
        <RailLink to="/floor" icon={<Factory size={22} aria-hidden />}>
          Floor
        </RailLink>
        <RailLink to="/recipes" icon={<BookOpen size={22} aria-hidden />}>
          Recipes
        </RailLink>
        <RailLink to="/items" icon={<ListChecks size={22} aria-hidden />}>
          Items
        </RailLink>
        <RailLink to="/statistics" icon={<BarChart3 size={22} aria-hidden />}>
          Statistics
        </RailLink>
        <RailLink to="/boards" icon={<LayoutDashboard size={22} aria-hidden />}>
          Boards
        </RailLink>
        <RailLink to="/signals" icon={<Cable size={22} aria-hidden />}>
          Signals
        </RailLink>
        <RailLink to="/alarms" icon={<Bell size={22} aria-hidden />}>
          Alarms
        </RailLink>
        <div className="mt-auto flex flex-col items-center gap-1 pb-3 max-sm:m-0 max-sm:flex-row max-sm:pb-0">
          <Button className="border-transparent bg-transparent px-0" hint={dark ? "Light" : "Dark"} shortcut="t" aria-label={dark ? "Switch to light" : "Switch to dark"} onClick={toggleTheme}>
            {dark ? <Sun size={20} aria-hidden /> : <Moon size={20} aria-hidden />}
          </Button>
          <Button className="border-transparent bg-transparent px-0 max-sm:hidden" hint="Keys" shortcut="?" aria-label="Keys and version" onClick={() => setHelp(true)}>
            <Keyboard size={20} aria-hidden />
          </Button>
        </div>
      </nav>
      <main id="page" tabIndex={-1} className="flex min-h-0 min-w-0 flex-col overflow-y-auto outline-none">
        {!connected && (
          <p role="alert" className="bg-ink px-5 py-2 text-base text-paper">
            The service does not answer. The lines go on by themselves; what you see is from before. Trying again…
          </p>
        )}
        <AlarmLine />
        <Outlet />
      </main>
      <Help open={help} onOpenChange={setHelp} />
    </div>
  );
}
