import { useEffect, useMemo, useRef, useState } from "react";
import { bandsOf, css, hueBins, lightBins, satBins, spreadOf, treeOf, type Bands, type Spread } from "../../lib/color";
import { extentOf, isTree, put, shapesOf, type Check, type Tree } from "../../lib/recipe";
import { drawn, turnOf } from "./canvas";

/** Pixels that are looked at in a region, at most: a chart needs no more. */
const most = 40_000;

/** The colors in a check's region, by hue and saturation and by brightness, with the bands that count; the bands can be dragged. */
export function ColorChart({ check, pixels, learned, change }: { check: Check; pixels: CanvasRenderingContext2D | null; learned?: Tree; change: (c: Check, passing: boolean) => void }) {
  const region = check["region"];
  const spread = useMemo(() => (pixels ? look(pixels, region) : null), [pixels, region]);
  const own = bandsOf(check["color"]);
  const bands = own ?? bandsOf(learned?.["color"]);
  const plot = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const x = plot.current?.getContext("2d");
    if (x && spread) paint(x, spread);
  }, [spread]);
  const set = (b: Bands, done: boolean) => change(put(check, ["color"], treeOf(b)), !done);
  const adopt = () => {
    let next = check;
    for (const [name, v] of Object.entries(learned ?? {})) next = put(next, [name], v ?? undefined);
    change(next, false);
  };
  if (!spread) return null;
  const top = Math.max(1, ...spread.lights.map((n) => Math.sqrt(n)));
  return (
    <section aria-label="Colors in the region" className="border-b border-hairline px-4 py-3">
      <div className="relative aspect-[360/120] w-full overflow-hidden rounded border border-hairline bg-pane">
        <canvas ref={plot} width={hueBins} height={satBins} className="absolute inset-0 h-full w-full" style={{ imageRendering: "pixelated" }} role="img" aria-label={`Hue across, saturation upwards, of ${spread.pixels} pixels`} />
        {bands && <Box b={bands} set={own ? set : undefined} />}
      </div>
      <p className="m-0 mb-2 flex justify-between text-sm text-ink-2">
        <span>red</span>
        <span>yellow</span>
        <span>green</span>
        <span>cyan</span>
        <span>blue</span>
        <span>magenta</span>
      </p>
      <div className="relative h-12 w-full">
        <svg viewBox={`0 0 ${lightBins} 40`} preserveAspectRatio="none" className="absolute inset-0 h-full w-full rounded border border-hairline" role="img" aria-label="Brightness, dark to light">
          <path d={Array.from(spread.lights, (n, i) => `M${i + 0.5} 40V${40 - (Math.sqrt(n) / top) * 38}`).join("")} stroke="var(--ink)" strokeWidth={1} />
          {bands && <rect x={bands.brightness[0]} width={Math.max(0, bands.brightness[1] - bands.brightness[0])} y={0} height={40} fill="var(--accent)" opacity={0.28} />}
        </svg>
        {own &&
          ([0, 1] as const).map((i) => (
            <Slide key={i} label={i ? "Brightness at most" : "Brightness at least"} value={own.brightness[i]} least={0} top={100} wide at={(v) => ({ left: `${v}%`, top: 0, bottom: 0 })} set={(v, done) => set({ ...own, brightness: put2(own.brightness, i, v) }, done)} />
          ))}
      </div>
      <p className="m-0 mt-1 text-sm text-ink-2">
        {own ? "Drag the edges of what counts." : bands ? "The bands that were learned from the picked places." : "Pick the color on the picture."}{" "}
        {!own && bands && isTree(learned) && (
          <button type="button" className="min-h-9 rounded-md border border-hairline px-2.5 text-ink hover:bg-wash" onClick={adopt}>
            Set the bands by hand
          </button>
        )}
      </p>
    </section>
  );
}

const put2 = (b: [number, number], i: 0 | 1, v: number): [number, number] => (i === 0 ? [Math.min(v, b[1]), b[1]] : [b[0], Math.max(v, b[0])]);

/** The bands of hue and saturation; from 340 to 20 passes through red. */
function Box({ b, set }: { b: Bands; set?: (b: Bands, done: boolean) => void }) {
  const [from, to] = b.hue ?? [0, 360];
  const parts: [number, number][] = from <= to ? [[from, to]] : [[from, 360], [0, to]];
  return (
    <>
      <svg viewBox="0 0 360 100" preserveAspectRatio="none" className="absolute inset-0 h-full w-full" aria-hidden>
        {parts.map(([x0, x1]) => (
          <g key={x0} fill="none" vectorEffect="non-scaling-stroke">
            <rect x={x0} y={100 - b.saturation[1]} width={Math.max(1, x1 - x0)} height={Math.max(1, b.saturation[1] - b.saturation[0])} stroke="#000" strokeOpacity={0.7} strokeWidth={4} vectorEffect="non-scaling-stroke" />
            <rect x={x0} y={100 - b.saturation[1]} width={Math.max(1, x1 - x0)} height={Math.max(1, b.saturation[1] - b.saturation[0])} stroke="#f0b13c" strokeWidth={2} strokeDasharray={set ? undefined : "5 4"} vectorEffect="non-scaling-stroke" />
          </g>
        ))}
      </svg>
      {set && (
        <>
          {([0, 1] as const).map((i) => (
            <Slide key={`h${i}`} label={i ? "Hue to" : "Hue from"} value={b.hue?.[i] ?? (i ? 360 : 0)} least={0} top={360} wide at={(v) => ({ left: `${v / 3.6}%`, top: 0, bottom: 0 })} set={(v, done) => set({ ...b, hue: i ? [from, v] : [v, to] }, done)} />
          ))}
          {([0, 1] as const).map((i) => (
            <Slide key={`s${i}`} label={i ? "Saturation at most" : "Saturation at least"} value={b.saturation[i]} least={0} top={100} at={(v) => ({ top: `${100 - v}%`, left: `${((from <= to ? (from + to) / 2 : from) / 360) * 100}%` })} set={(v, done) => set({ ...b, saturation: put2(b.saturation, i, v) }, done)} />
          ))}
        </>
      )}
    </>
  );
}

/** An edge that is dragged, or moved with the arrow keys: across where it is wide, else up and down. */
function Slide({ label, value, least, top, wide, at, set }: { label: string; value: number; least: number; top: number; wide?: boolean; at: (v: number) => React.CSSProperties; set: (v: number, done: boolean) => void }) {
  const [held, setHeld] = useState(false);
  const to = (e: React.PointerEvent<HTMLElement>) => {
    const box = e.currentTarget.parentElement!.getBoundingClientRect();
    const share = wide ? (e.clientX - box.left) / box.width : 1 - (e.clientY - box.top) / box.height;
    return Math.round(least + Math.min(1, Math.max(0, share)) * (top - least));
  };
  const step = (by: number) => set(Math.min(top, Math.max(least, Math.round(value) + by)), true);
  return (
    <div
      role="slider"
      tabIndex={0}
      aria-label={label}
      aria-valuemin={least}
      aria-valuemax={top}
      aria-valuenow={Math.round(value)}
      aria-orientation={wide ? "horizontal" : "vertical"}
      className={`absolute touch-none ${wide ? "w-5 -translate-x-1/2 cursor-ew-resize" : "h-5 w-8 -translate-x-1/2 -translate-y-1/2 cursor-ns-resize"} flex items-center justify-center`}
      style={at(value)}
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        setHeld(true);
      }}
      onPointerMove={(e) => held && set(to(e), false)}
      onPointerUp={(e) => {
        if (held) set(to(e), true);
        setHeld(false);
      }}
      onKeyDown={(e) => {
        const by = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1, PageUp: 10, PageDown: -10 }[e.key];
        if (!by) return;
        e.preventDefault();
        e.stopPropagation();
        step(by);
      }}
    >
      <span className={`rounded-sm border border-[#1d2430] bg-[#f0b13c] ${wide ? "h-5 w-2" : "h-2 w-5"}`} />
    </div>
  );
}

/** What colors there are in a region of the picture. */
function look(pixels: CanvasRenderingContext2D, region: unknown): Spread | null {
  const s = isTree(region) ? shapesOf({ region })[0] : undefined;
  const { width, height } = pixels.canvas;
  const [x0, y0, x1, y1] = s ? extentOf(s) : [0, 0, width, height];
  const [l, t] = [Math.max(0, Math.floor(x0)), Math.max(0, Math.floor(y0))];
  const [w, h] = [Math.min(width, Math.ceil(x1)) - l, Math.min(height, Math.ceil(y1)) - t];
  if (w <= 0 || h <= 0) return null;
  const data = pixels.getImageData(l, t, w, h).data;
  const every = Math.max(1, Math.ceil((w * h) / most));
  if (!s) return spreadOf(data, (i) => i % every === 0);
  // The shape itself as a mask.
  const mask = document.createElement("canvas");
  mask.width = w;
  mask.height = h;
  const m = mask.getContext("2d", { willReadFrequently: true });
  if (!m) return null;
  m.translate(-l, -t);
  if (turnOf(s)) {
    const [cx, cy] = [(s.numbers[0] ?? 0) + (s.numbers[2] ?? 0) / 2, (s.numbers[1] ?? 0) + (s.numbers[3] ?? 0) / 2];
    m.translate(cx, cy);
    m.rotate((s.turn * Math.PI) / 180);
    m.translate(-cx, -cy);
  }
  m.fill(new Path2D(drawn(s)), "evenodd");
  const inside = m.getImageData(0, 0, w, h).data;
  return spreadOf(data, (i) => i % every === 0 && (inside[4 * i + 3] ?? 0) > 127);
}

function paint(x: CanvasRenderingContext2D, s: Spread) {
  x.clearRect(0, 0, hueBins, satBins);
  const top = Math.log(1 + Math.max(1, ...s.colors));
  for (let row = 0; row < satBins; row++)
    for (let col = 0; col < hueBins; col++) {
      const n = s.colors[row * hueBins + col] ?? 0;
      if (n === 0) continue;
      x.globalAlpha = 0.25 + (0.75 * Math.log(1 + n)) / top;
      x.fillStyle = css(((col + 0.5) * 360) / hueBins, ((row + 0.5) * 100) / satBins, 92);
      x.fillRect(col, satBins - 1 - row, 1, 1);
    }
  x.globalAlpha = 1;
}
