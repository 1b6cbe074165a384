import { fireEvent, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { beforeEach, expect, it, vi } from "vitest";
import type { Draft, Limit, Progress, Report } from "../../api/workbench";
import { follow } from "../../api/workbench";
import type { Tree } from "../../lib/recipe";
import { TrialTab } from "./trial";
import type { Editing } from "./useDraft";

vi.mock("../../api/workbench", async (original) => ({ ...(await original<object>()), follow: vi.fn() }));

const limit: Limit = {
  check: "rim",
  reading: "highest",
  unit: "mm",
  setting: "limits/highest",
  whole: false,
  margin: 0.05,
  most: { at: 2, proposed: 1.2, why: "in the middle", good: { sample: "g", value: 0.4, group: "good" } },
  points: [
    { sample: "g", value: 0.4, group: "good" },
    { sample: "b", value: 2.1, group: "bad" },
  ],
};
const result = (sample: string, label: string, route: string, right: boolean) => ({ sample, label, right, route, fault: false, reason: "rim", sentence: `says ${sample}`, readings: {} });
const report: Report = {
  samples: 3,
  wrong: 1,
  let_through: 1,
  unlabeled: 0,
  broken: 0,
  results: [result("g", "good", "pass", true), result("bump", "bad: rim", "pass", false), result("b", "bad", "reject", true)],
  confusion: [{ label: "bad", routes: { pass: 1, reject: 1 } }],
  limits: [limit],
};

/** The tab with a tree that it really changes. */
function Shown({ tree, seen, show = () => {}, whole }: { tree: Tree; seen: (t: Tree, passing?: boolean) => void; show?: (s: string) => void; whole?: Tree }) {
  const [now, setNow] = useState(tree);
  const e = {
    draft: { whole: whole ?? tree } as unknown as Draft,
    tree: now,
    change: (t: Tree, passing?: boolean) => {
      setNow(t);
      seen(t, passing);
    },
  } as Editing;
  return <TrialTab k={{ product: "p", role: "top" }} e={e} show={show} toSamples={() => {}} />;
}

const answered = (p: Partial<Progress>) => vi.mocked(follow).mockImplementation((_k, _what, _tree, _signal, each) => (each({ done: 1, of: 3 }), Promise.resolve({ done: 3, of: 3, ...p })));
const tape: Tree = { checks: [{ id: "rim", kind: "measure.rim", limits: { highest: { nominal: 1, tolerance: 1 } } }] };

beforeEach(() => {
  vi.mocked(follow).mockReset();
});

it("tells who is judged wrong first, and opens the sample", async () => {
  answered({ report });
  const show = vi.fn();
  render(<Shown tree={tape} seen={() => {}} show={show} />);
  expect(await screen.findByText("One judged wrong")).toBeInTheDocument();
  expect(screen.getByText(", 1 let through that should not pass")).toBeInTheDocument();
  await userEvent.click(screen.getByRole("button", { name: /bump/ }));
  expect(show).toHaveBeenCalledWith("bump");
});

it("moves a limit by its keys, and judges again", async () => {
  answered({ report });
  const seen = vi.fn<(t: Tree, passing?: boolean) => void>();
  render(<Shown tree={tape} seen={seen} />);
  const slider = await screen.findByRole("slider", { name: "rim highest at most" });
  expect(slider).toHaveAttribute("aria-valuenow", "2");
  fireEvent.keyDown(slider, { key: "ArrowLeft" });
  expect(seen.mock.lastCall?.[0]).toEqual({ checks: [{ id: "rim", kind: "measure.rim", limits: { highest: { least: 0, most: 1.98 } } }] });
  await vi.waitFor(() => expect(vi.mocked(follow).mock.calls.length).toBeGreaterThan(1), 20_000);
  expect(vi.mocked(follow).mock.lastCall?.[2]).toEqual(seen.mock.lastCall?.[0]);
});

it("takes the proposal at a press", async () => {
  answered({ report });
  const seen = vi.fn<(t: Tree, passing?: boolean) => void>();
  render(<Shown tree={tape} seen={seen} />);
  await userEvent.click(await screen.findByRole("button", { name: "at most 1.2 would be best" }));
  expect(seen.mock.lastCall?.[0]).toEqual({ checks: [{ id: "rim", kind: "measure.rim", limits: { highest: { least: 0, most: 1.2 } } }] });
});

it("writes a variant's limit as a change, and leaves the base alone", async () => {
  answered({ report });
  const seen = vi.fn<(t: Tree, passing?: boolean) => void>();
  render(<Shown tree={{ base: "tape", change: {} }} whole={tape} seen={seen} />);
  await userEvent.click(await screen.findByRole("button", { name: "at most 1.2 would be best" }));
  expect(seen.mock.lastCall?.[0]).toEqual({ base: "tape", change: { "rim/limits/highest": { least: 0, most: 1.2 } } });
});

it("does not offer to move what the kind sets itself", async () => {
  answered({ report: { ...report, limits: [{ ...limit, setting: "" }] } });
  const seen = vi.fn();
  render(<Shown tree={tape} seen={seen} />);
  fireEvent.keyDown(await screen.findByRole("slider", { name: "rim highest at most" }), { key: "ArrowLeft" });
  expect(seen).not.toHaveBeenCalled();
  expect(screen.queryByRole("button", { name: /would be best/ })).toBeNull();
});

it("says what keeps the draft from being tried, and what to do without samples", async () => {
  answered({ problems: [{ field: "checks/0/region", what: "it is empty" }] });
  const { unmount } = render(<Shown tree={tape} seen={() => {}} />);
  expect(await screen.findByText(/checks\/0\/region: it is empty/)).toBeInTheDocument();
  unmount();
  answered({ report: { ...report, samples: 0, results: [], limits: [] } });
  render(<Shown tree={tape} seen={() => {}} />);
  expect(await screen.findByRole("button", { name: "Add samples" })).toBeInTheDocument();
});
