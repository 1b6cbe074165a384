import type { State } from "../lib/verdict";

/* The marks of the states: each has a color and a shape of its own, and never stands
   without its word nearby. All are drawn in a box of 24. */

const color: Record<State, string> = {
  pass: "text-pass",
  rework: "text-rework",
  reject: "text-reject",
  fault: "text-fault",
  not_judged: "text-idle",
  other: "text-idle",
};

export const colorOf = (s: State): string => color[s];

export function Mark({ state, size = 24 }: { state: State; size?: number }) {
  return (
    <svg viewBox="0 0 24 24" width={size} height={size} className={`shrink-0 ${color[state]}`} aria-hidden="true">
      {shapes[state]}
    </svg>
  );
}

const cut = { fill: "none", stroke: "var(--sheet)", strokeWidth: 2.6, strokeLinecap: "round", strokeLinejoin: "round" } as const;
const line = { fill: "none", stroke: "currentColor", strokeWidth: 2.2, strokeLinecap: "round", strokeLinejoin: "round" } as const;

const shapes: Record<State, React.ReactNode> = {
  // A filled disc with a tick.
  pass: (
    <>
      <circle cx="12" cy="12" r="10.5" fill="currentColor" />
      <path d="M7.2 12.4l3.2 3.2 6.4-7" {...cut} />
    </>
  ),
  // A half-turn arrow in a ring.
  rework: (
    <>
      <circle cx="12" cy="12" r="10" {...line} />
      <path d="M7.6 13.6a4.6 4.6 0 1 1 8.6 1.2M16.9 10.9l-.5 4.3-4-1.2" {...line} />
    </>
  ),
  // A diamond with a cross.
  reject: (
    <>
      <path d="M12 .8 23.2 12 12 23.2.8 12z" fill="currentColor" />
      <path d="M8.6 8.6l6.8 6.8M15.4 8.6l-6.8 6.8" {...cut} />
    </>
  ),
  // A hatched octagon with a bar.
  fault: (
    <>
      <path d="M7.4 1.2h9.2l6.2 6.2v9.2l-6.2 6.2H7.4l-6.2-6.2V7.4z" {...line} fill="color-mix(in oklab, currentColor 22%, transparent)" />
      <path d="M3 14l11-11M5 19 19 5M10 21 21 10" stroke="currentColor" strokeWidth="0.9" />
      <path d="M6.4 12h11.2" stroke="currentColor" strokeWidth="4" strokeLinecap="butt" />
    </>
  ),
  // An open, dashed ring.
  not_judged: <circle cx="12" cy="12" r="9.5" {...line} strokeDasharray="3.6 3.4" />,
  other: (
    <>
      <rect x="2" y="2" width="20" height="20" rx="4" {...line} />
      <path d="M7 12h9M12.5 8l4 4-4 4" {...line} />
    </>
  ),
};

/** What a station is doing: a triangle, two bars or a square, in ink. */
export function StatusMark({ status, size = 20 }: { status: string; size?: number }) {
  return (
    <svg viewBox="0 0 24 24" width={size} height={size} className="shrink-0" fill="currentColor" aria-hidden="true">
      {status === "running" ? (
        <path d="M5 3.2v17.6L21 12z" />
      ) : status === "held" ? (
        <path d="M4.5 3.5h5.4v17H4.5zM14.1 3.5h5.4v17h-5.4z" />
      ) : (
        <path d="M4 4h16v16H4z" />
      )}
    </svg>
  );
}

export const statusWord = (status: string): string => (status === "running" ? "Running" : status === "held" ? "Held" : "Stopped");
