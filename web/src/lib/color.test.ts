import { expect, it } from "vitest";
import { bandsOf, css, hsv, hueBins, spreadOf, treeOf } from "./color";

it("says colors as people name them", () => {
  expect(hsv(255, 0, 0)).toEqual([0, 100, 100]);
  expect(hsv(0, 255, 255)).toEqual([180, 100, 100]);
  expect(hsv(255, 0, 128)[0]).toBeCloseTo(329.9, 1);
  expect(hsv(0, 0, 0)).toEqual([0, 0, 0]);
  const [h, s, v] = hsv(120, 120, 120);
  expect([h, s]).toEqual([0, 0]);
  expect(v).toBeCloseTo(47.06, 2);
  expect(css(0, 0, 100)).toBe("hsl(0 0% 100%)");
  expect(css(120, 100, 100)).toBe("hsl(120 100% 50%)");
});

it("reads bands and writes them as a recipe does", () => {
  const b = bandsOf({ hue: [340, 20], saturation: { least: 30 } });
  expect(b).toEqual({ hue: [340, 20], saturation: [30, 100], brightness: [0, 100] });
  expect(treeOf(b!)).toEqual({ hue: [340, 20], saturation: { least: 30, most: 100 } });
  expect(Object.keys(treeOf({ saturation: [0, 100], brightness: [0, 100] }))).not.toHaveLength(0); // no band at all is no color
  expect(bandsOf(undefined)).toBeUndefined();
});

it("counts the colors of the pixels that are meant", () => {
  const data = new Uint8ClampedArray([255, 0, 0, 255, 0, 0, 255, 255, 10, 10, 10, 255]);
  const s = spreadOf(data, (i) => i < 2);
  expect(s.pixels).toBe(2);
  expect(s.colors[39 * hueBins + 0]).toBe(1);
  expect(s.colors[39 * hueBins + 80]).toBe(1);
  expect(s.lights[99]).toBe(2);
});
