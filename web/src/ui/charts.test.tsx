import { fireEvent, render, screen } from "@testing-library/react";
import { MemoryRouter } from "react-router";
import { describe, expect, it, vi } from "vitest";
import type { Step } from "../api/client";
import { ReasonBars, Sparkline, stepName, TrendChart } from "./charts";

const step = (name: string, value: number, rules: number[] = []): Step => ({
  name,
  counts: { inspected: 100, passed: 100 - Math.round(100 * value), reworked: 0, rejected: Math.round(100 * value), faults: 0 },
  point: { value, center: 0.03, least: 0, most: 0.08, n: 100, rules },
});

describe("the trend", () => {
  it("says in words what is drawn, and leads into a step", () => {
    const pick = vi.fn();
    const { container } = render(<TrendChart steps={[step("2026-W01", 0.02), step("2026-W02", 0.12, [1]), step("2026-W03", 0.03)]} pick={pick} />);
    expect(screen.getByRole("img")).toHaveAccessibleName("3 points, center 3.0 %, the highest 12.0 % at 2026-W02");
    const groups = container.querySelectorAll("g");
    expect(groups).toHaveLength(3);
    expect(groups[1]!.querySelectorAll("rect[fill='var(--reject)']")).toHaveLength(1);
    expect(groups[0]!.querySelectorAll("rect[fill='var(--reject)']")).toHaveLength(0);
    fireEvent.click(groups[1]!);
    expect(pick).toHaveBeenCalledWith(expect.objectContaining({ name: "2026-W02" }));
  });

  it("draws one point, and values beyond all limits, inside the picture", () => {
    const { container } = render(<TrendChart steps={[step("2026-03-02/night", 1)]} />);
    for (const c of container.querySelectorAll("circle")) {
      expect(Number(c.getAttribute("cy"))).toBeGreaterThanOrEqual(0);
      expect(Number(c.getAttribute("cx"))).toBeGreaterThan(40);
    }
    expect(stepName("2026-03-02/night")).toBe("2026-03-02 night");
  });
});

describe("the reasons", () => {
  const bar = (reason: string, count: number, sum: number, fault = false) => ({ reason, count, share: 0, sum, fault });
  it("lead to their items, with the running sum as a line", () => {
    const { container } = render(
      <MemoryRouter>
        <ReasonBars bars={[bar("tips", 60, 0.6), bar("late", 40, 1, true)]} to={(r) => `/items?reason=${r}`} />
      </MemoryRouter>,
    );
    expect(screen.getByRole("link", { name: /tips/ })).toHaveAttribute("href", "/items?reason=tips");
    expect(screen.getByRole("link", { name: /Late verdict/ })).toHaveTextContent("100 %");
    expect(container.querySelector("polyline")!.getAttribute("points")).toBe("60,13 100,39");
  });
  it("say how many are not shown", () => {
    render(
      <MemoryRouter>
        <ReasonBars bars={Array.from({ length: 12 }, (_, i) => bar(`r${i}`, 12 - i, (i + 1) / 12))} to={() => "/"} />
      </MemoryRouter>,
    );
    expect(screen.getAllByRole("link")).toHaveLength(9);
    expect(screen.getByText(/3 more reasons/)).toBeInTheDocument();
  });
});

it("a sparkline needs two values, and stays in its frame when all are alike", () => {
  const { container, rerender } = render(<Sparkline values={[0.9]} label="x" />);
  expect(container.querySelector("svg")).toBeNull();
  rerender(<Sparkline values={[0.9, 0.9]} label="x" />);
  expect(container.querySelector("polyline")!.getAttribute("points")).toBe("0,20 100,20");
});
