import { describe, expect, test } from "vitest";
import { band, lineName, num, percent, since, when } from "./format";
import { layout } from "./limitbar";
import { verdictOf, wordOf } from "./verdict";

describe("numbers", () => {
  test.each([
    [0, "0"],
    [-0.0001, "0"],
    [0.66666, "0.667"],
    [12, "12"],
    [11.996, "12"],
    [812.27, "812.3"],
    [14208.9, "14209"],
    [-3.5, "-3.5"],
    [1200, "1200"],
  ])("%d is written %s", (v, want) => expect(num(v)).toBe(want));

  test("bands are said as a person would", () => {
    expect(band(12, 12)).toBe("12");
    expect(band(0.7)).toBe("at least 0.7");
    expect(band(undefined, 5)).toBe("at most 5");
    expect(band(3, 5)).toBe("3 to 5");
    expect(band()).toBe("");
  });

  test("a share of nothing is not a number", () => {
    expect(percent(0, 0)).toBe("–");
    expect(percent(1, 3)).toBe("33.3 %");
  });
});

test("times of other days carry their day", () => {
  const now = new Date("2026-03-02T12:00:00");
  expect(when("2026-03-02T11:22:33", now)).toBe("11:22:33");
  expect(when("2026-02-28T11:22:33", now)).toBe("28 Feb 11:22:33");
  expect(since("2026-03-02T10:00:00Z", Date.parse("2026-03-02T12:05:00Z"))).toBe("2 h 5 min");
});

describe("limit bars", () => {
  test("a reading in the middle of its band is in the middle", () => {
    const b = layout(5, 4, 6)!;
    expect(b.at).toBeCloseTo(0.5);
    expect(b.within).toBe(true);
    expect(b.from).toBeGreaterThan(0);
    expect(b.to).toBeLessThan(1);
  });
  test("a reading outside stays on the bar and outside the band", () => {
    for (const v of [-100, 3.9, 6.1, 1e6]) {
      const b = layout(v, 4, 6)!;
      expect(b.within).toBe(false);
      expect(b.at).toBeGreaterThanOrEqual(0);
      expect(b.at).toBeLessThanOrEqual(1);
      expect(b.at < b.from || b.at > b.to).toBe(true);
    }
  });
  test("an exact count has room on both sides", () => {
    const b = layout(11, 12, 12)!;
    expect(b.at).toBeLessThan(b.from);
  });
  test("one-sided limits are open at their other end", () => {
    expect(layout(0.9, 0.7)).toMatchObject({ to: 1, within: true });
    expect(layout(0.9, undefined, 0.5)).toMatchObject({ from: 0, within: false });
    expect(layout(3)).toBeNull();
  });
});

test("a fault is shown as a fault, wherever it went", () => {
  expect(verdictOf({ route: "reject", fault: "late" })).toBe("fault");
  expect(verdictOf({ route: "reject", fault: "" })).toBe("reject");
  expect(wordOf({ route: "lane-7", fault: "" })).toBe("lane-7");
});

test("lines are called as people call them", () => {
  expect(lineName("line12")).toBe("Line 12");
  expect(lineName("packing-hall")).toBe("packing-hall");
});
