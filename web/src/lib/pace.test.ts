import { expect, it } from "vitest";
import { paceOf } from "./pace";

it("says how fast a belt may run", () => {
  expect(paceOf(20, 320, 300)).toEqual({ perMinute: 3000, belt: 15, crowded: true });
  expect(paceOf(20, 200, 300)?.crowded).toBe(false);
  expect(paceOf(0, 200, 300)).toBeNull();
  expect(paceOf(20, 200, NaN)).toBeNull();
});
