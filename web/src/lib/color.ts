/* Colors as people name them: hue in degrees, saturation and brightness in percent. */

/** Hue, saturation and brightness of a color of 0 to 255. Grays have hue 0. */
export function hsv(r: number, g: number, b: number): [number, number, number] {
  const most = Math.max(r, g, b);
  const d = most - Math.min(r, g, b);
  const h = d === 0 ? 0 : most === r ? (60 * (g - b)) / d : most === g ? 120 + (60 * (b - r)) / d : 240 + (60 * (r - g)) / d;
  return [h < 0 ? h + 360 : h, most === 0 ? 0 : (100 * d) / most, (100 * most) / 255];
}

/** A color of which hue, saturation and brightness are given, for styles. */
export function css(h: number, s: number, v: number): string {
  const l = v * (1 - s / 200);
  const sl = l === 0 || l === 100 ? 0 : (100 * (v - l)) / Math.min(l, 100 - l);
  return `hsl(${h} ${sl}% ${l}%)`;
}

/** Bands of a set of colors, as a recipe says them. */
export interface Bands {
  hue?: [number, number];
  saturation: [number, number];
  brightness: [number, number];
}

export function bandsOf(v: unknown): Bands | undefined {
  if (typeof v !== "object" || v === null) return undefined;
  const t = v as Record<string, unknown>;
  const band = (x: unknown): [number, number] => {
    const l = (x ?? {}) as { least?: number; most?: number };
    return [l.least ?? 0, l.most ?? 100];
  };
  const hue = Array.isArray(t["hue"]) ? (t["hue"] as [number, number]) : undefined;
  return { ...(hue ? { hue } : {}), saturation: band(t["saturation"]), brightness: band(t["brightness"]) };
}

/** The bands as a recipe says them; a whole band is left out. */
export function treeOf(b: Bands): Record<string, unknown> {
  const band = ([least, most]: [number, number]) => (least <= 0 && most >= 100 ? undefined : { least: Math.round(least), most: Math.round(most) });
  const out: Record<string, unknown> = {};
  if (b.hue) out["hue"] = b.hue.map(Math.round);
  for (const k of ["saturation", "brightness"] as const) {
    const v = band(b[k]);
    if (v) out[k] = v;
  }
  return Object.keys(out).length ? out : { brightness: { least: 0 } };
}

/** How many pixels there are of each hue and saturation, and of each brightness. */
export interface Spread {
  colors: Uint32Array; // hues × saturations
  lights: Uint32Array;
  pixels: number;
}

export const hueBins = 120;
export const satBins = 40;
export const lightBins = 100;

export function spreadOf(data: Uint8ClampedArray, inside: (i: number) => boolean): Spread {
  const out = { colors: new Uint32Array(hueBins * satBins), lights: new Uint32Array(lightBins), pixels: 0 };
  for (let i = 0; i < data.length >> 2; i++) {
    if (!inside(i)) continue;
    const [h, s, v] = hsv(data[4 * i] ?? 0, data[4 * i + 1] ?? 0, data[4 * i + 2] ?? 0);
    const x = Math.min(hueBins - 1, Math.floor((h * hueBins) / 360));
    const y = Math.min(satBins - 1, Math.floor((s * satBins) / 100));
    out.colors[y * hueBins + x]!++;
    out.lights[Math.min(lightBins - 1, Math.floor(v))]!++;
    out.pixels++;
  }
  return out;
}
