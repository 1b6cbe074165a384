import type { Finding, Item } from "../api/client";

/** The states that have a color, a shape and a word of their own. */
export type State = "pass" | "rework" | "reject" | "fault" | "not_judged" | "other";

export const words: Record<State, string> = {
  pass: "Pass",
  rework: "Rework",
  reject: "Reject",
  fault: "Fault",
  not_judged: "Not judged",
  other: "Other route",
};

/** What an item is shown as. A fault goes to reject, but is shown as what it is. */
export function verdictOf(item: Pick<Item, "route" | "fault">): State {
  if (item.fault !== "") return "fault";
  return item.route === "pass" || item.route === "rework" || item.route === "reject" ? item.route : "other";
}

export const wordOf = (item: Pick<Item, "route" | "fault">): string =>
  verdictOf(item) === "other" ? item.route : words[verdictOf(item)];

/** What a finding is shown as. */
export function stateOf(f: Finding): State {
  const map = { ok: "pass", failed: "reject", fault: "fault", not_judged: "not_judged" } as const;
  return map[f.outcome];
}

export const findingWord = (f: Finding): string =>
  f.outcome === "ok" ? "OK" : f.outcome === "failed" ? "Failed" : words[stateOf(f)];

/** Faults of the station in words. */
export const faultWords: Record<string, string> = {
  no_picture: "No picture",
  too_fast: "Too fast",
  late: "Late verdict",
  check: "A check could not judge",
  crash: "Judging broke down",
  not_recorded: "Not recorded",
  no_recipe: "No recipe",
  not_seen: "Not seen by a camera",
  left_over: "Left on the belt",
};
