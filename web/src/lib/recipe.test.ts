import { describe, expect, it } from "vitest";
import { begun, changed, freeID, get, handlesOf, put, redone, riding, shapesOf, shifted, starter, undone, withShape, type Check } from "./recipe";

const check: Check = { id: "a", kind: "measure.gap", from: { arrow: [1, 2, 3, 4], width: 9 }, region: { rect: [10, 20, 100, 40], turn: 90, without: [{ circle: [5, 5, 2] }] }, limits: { rect: { least: 1 } } };

describe("trees", () => {
  it("are changed without changing what was", () => {
    const before = JSON.stringify(check);
    const after = put(check, ["from", "arrow", 2], 7);
    expect(get(after, ["from", "arrow"])).toEqual([1, 2, 7, 4]);
    expect(get(put(check, ["from", "width"], undefined), ["from"])).toEqual({ arrow: [1, 2, 3, 4] });
    expect(get(put({ list: [1, 2, 3] }, ["list", 1], undefined), ["list"])).toEqual([1, 3]);
    expect(put({}, ["limits", "count", "least"], 3)).toEqual({ limits: { count: { least: 3 } } });
    expect(JSON.stringify(check)).toBe(before);
  });

  it("go back and forth without end", () => {
    let h = begun(1);
    for (let i = 2; i < 50; i++) h = changed(h, i);
    for (let i = 0; i < 60; i++) h = undone(h);
    expect(h.now).toBe(1);
    h = redone(redone(h));
    expect(h.now).toBe(3);
    expect(changed(h, 9).future).toEqual([]);
  });
});

describe("shapes", () => {
  it("are found however deep, and not among limits", () => {
    expect(shapesOf(check).map((s) => `${s.path.join("/")} ${s.form}`)).toEqual(["from arrow", "region rect", "region/without/0 circle"]);
  });

  it("keep the opposite corner where it is when a corner is dragged, also turned", () => {
    for (const turn of [0, 30, 90]) {
      const s = shapesOf({ region: { rect: [10, 20, 100, 40], turn } })[0]!;
      const corners = (numbers: number[]) => handlesOf({ ...s, numbers }).slice(0, 4);
      const was = corners(s.numbers);
      const now = corners(was[2]!.drag(was[2]!.x + 12, was[2]!.y + 7).numbers);
      expect(now[0]!.x).toBeCloseTo(was[0]!.x, 6);
      expect(now[0]!.y).toBeCloseTo(was[0]!.y, 6);
      expect(now[2]!.x).toBeCloseTo(was[2]!.x + 12, 6);
      expect(now[2]!.y).toBeCloseTo(was[2]!.y + 7, 6);
    }
  });

  it("lose a corner, but never the third last", () => {
    const four = shapesOf({ region: { polygon: [[0, 0], [4, 0], [4, 4], [0, 4]] } })[0]!;
    expect(handlesOf(four)[1]!.without).toEqual([0, 0, 4, 4, 0, 4]);
    expect(handlesOf({ ...four, numbers: [0, 0, 4, 0, 4, 4] }).map((h) => h.without)).toEqual([undefined, undefined, undefined]);
  });

  it("are written back to a tenth of a pixel", () => {
    const s = shapesOf(check)[1]!;
    expect(get(withShape(check, s, shifted(s, 0.26, -0.04), 12.34), ["region"])).toEqual({ rect: [10.3, 20, 100, 40], turn: 12.3, without: [{ circle: [5, 5, 2] }] });
    const p = shapesOf({ region: { polygon: [[0, 0], [4, 0], [0, 4]] } })[0]!;
    expect(get(withShape({ id: "p", kind: "k", region: {} }, p, shifted(p, 1, 2)), ["region", "polygon"])).toEqual([[1, 2], [5, 2], [1, 6]]);
  });
});

it("lists checks under the datum they ride on, also when they ride in a circle", () => {
  const c = (id: string, on?: string): Check => ({ id, kind: "k", ...(on ? { on } : {}) });
  expect(riding([c("x", "d"), c("d"), c("y", "x"), c("z")]).map((r) => [r.check.id, r.depth])).toEqual([["d", 0], ["x", 1], ["y", 2], ["z", 0]]);
  expect(riding([c("a", "b"), c("b", "a"), c("c", "gone")]).map((r) => r.check.id).sort()).toEqual(["a", "b", "c"]);
});

it("begins checks with a free id, on the datum", () => {
  const first = starter("count.spots", [], "tin", 1280, 960);
  expect(first).toMatchObject({ id: "spots", on: "tin", region: { rect: [512, 384, 256, 192] } });
  expect(starter("count.spots", [first], undefined, 100, 100).id).toBe("spots_2");
  expect(freeID([first], "gap")).toBe("gap");
});
