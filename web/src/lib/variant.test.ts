import { describe, expect, it } from "vitest";
import { checksOf, put, type Tree } from "./recipe";
import { changesOf, ownOf, resolved } from "./variant";

const base: Tree = {
  ricetta: 1,
  product: "tin-12",
  role: "top",
  picture: { kind: "color", reference: "reference.png", mm_per_px: 0.12 },
  checks: [
    { id: "tin", kind: "locate.outline", region: { rect: [1, 2, 3, 4] } },
    { id: "tips", kind: "count.spots", on: "tin", region: { rect: [1, 2, 3, 4] }, limits: { count: { least: 12, most: 12 }, area: { least: 5 } } },
  ],
  routes: [{ to: "reject", when: "failed" }],
};

const variant: Tree = { ricetta: 1, product: "tin-24", role: "top", base: "tin-12", change: { "tips/limits/count": { least: 24, most: 24 }, "picture/mm_per_px": null, "tips/tone": { least: 9 } } };

describe("variants", () => {
  it("lay their changes over the base and leave it as it is", () => {
    const before = JSON.stringify(base);
    const whole = resolved(base, variant);
    expect(whole["product"]).toBe("tin-24");
    expect(whole["picture"]).toEqual({ kind: "color", reference: "reference.png" });
    expect(checksOf(whole)[1]!["limits"]).toEqual({ count: { least: 24, most: 24 }, area: { least: 5 } });
    expect(whole["base"]).toBeUndefined();
    expect(JSON.stringify(base)).toBe(before);
  });

  it("say of a whole recipe what it changes, so that it comes out again", () => {
    const whole = resolved(base, variant);
    expect(changesOf(base, whole)).toEqual(variant["change"]);
    expect(changesOf(base, base)).toEqual({});
    const other = put(put(whole, ["checks", 0, "region"], { circle: [9, 9, 3] }), ["routes"], undefined);
    const change = changesOf(base, other);
    expect(change["tin/region"]).toEqual({ circle: [9, 9, 3] });
    expect(change["routes"]).toBeNull();
    expect(resolved(base, { ...variant, change })).toEqual(other);
  });

  it("know which settings are their own", () => {
    const [b, w] = [checksOf(base)[1], checksOf(resolved(base, variant))[1]!];
    expect(ownOf(b, w, ["limits", "count"])).toBe(true);
    expect(ownOf(b, w, ["limits", "area"])).toBe(false);
    expect(ownOf(b, w, ["region"])).toBe(false);
    expect(ownOf(undefined, w, ["region"])).toBe(false);
  });
});
