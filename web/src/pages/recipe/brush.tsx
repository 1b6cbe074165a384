import { useEffect, useRef, useState } from "react";
import { Button } from "../../ui/parts";

export interface Painting {
  /** What is painted, in words. */
  title: string;
  /** A mask to go on with. */
  url?: string;
  done: (mask: Blob) => void;
  cancel: () => void;
}

/** A mask that is painted on the picture: light is in, as the file is read later. */
export function useBrush(painting: Painting | null, w: number, h: number) {
  const mask = useRef<HTMLCanvasElement>(null);
  const last = useRef<[number, number] | null>(null);
  const [size, setSize] = useState(40);
  const [rub, setRub] = useState(false);
  const [touched, setTouched] = useState(false);
  const url = painting?.url;
  const on = painting !== null;
  useEffect(() => {
    const c = mask.current;
    if (!on || !c || !url) return;
    const img = new Image();
    img.onload = () => {
      // A mask file is light on dark; here what is in is opaque.
      const x = c.getContext("2d");
      if (!x) return;
      x.drawImage(img, 0, 0);
      const p = x.getImageData(0, 0, c.width, c.height);
      for (let i = 0; i < p.data.length; i += 4) {
        const inside = (p.data[i] ?? 0) >= 128;
        p.data.set([240, 177, 60, inside ? 255 : 0], i);
      }
      x.putImageData(p, 0, 0);
      setTouched(true);
    };
    img.src = url;
  }, [on, url]);
  const stroke = (x: number, y: number, begin: boolean) => {
    const c = mask.current?.getContext("2d");
    if (!c) return;
    const [fx, fy] = begin || !last.current ? [x, y] : last.current;
    c.globalCompositeOperation = rub ? "destination-out" : "source-over";
    c.strokeStyle = "rgb(240 177 60)";
    c.lineWidth = size;
    c.lineCap = "round";
    c.beginPath();
    c.moveTo(fx, fy);
    c.lineTo(x, y + 0.01);
    c.stroke();
    last.current = [x, y];
    setTouched(true);
  };
  /** The mask as a picture file: white where it is painted, black elsewhere. */
  const finish = () => {
    const c = mask.current;
    const out = document.createElement("canvas");
    out.width = w;
    out.height = h;
    const x = out.getContext("2d");
    if (!c || !x || !painting) return;
    const p = c.getContext("2d")!.getImageData(0, 0, w, h);
    for (let i = 0; i < p.data.length; i += 4) {
      const v = (p.data[i + 3] ?? 0) >= 128 ? 255 : 0;
      p.data.set([v, v, v, 255], i);
    }
    x.putImageData(p, 0, 0);
    out.toBlob((b) => b && painting.done(b), "image/png");
  };
  const layer = on ? (
    <foreignObject x={0} y={0} width={w} height={h} opacity={0.55} pointerEvents="none">
      <canvas ref={mask} width={w} height={h} data-testid="brush" />
    </foreignObject>
  ) : null;
  const bar = painting ? (
    <div role="toolbar" aria-label="Brush" className="absolute left-2 top-2 flex flex-wrap items-center gap-3 rounded-lg border border-hairline bg-sheet px-3 py-2">
      <span className="text-base font-medium">{painting.title}</span>
      <label className="flex items-center gap-2 text-sm text-ink-2">
        Size
        <input type="range" min={4} max={200} value={size} className="w-28 accent-(--accent)" onChange={(e) => setSize(e.target.valueAsNumber)} />
        <span className="w-12 text-right">{size} px</span>
      </label>
      <Button aria-pressed={rub} className="min-h-9!" onClick={() => setRub(!rub)}>
        {rub ? "Rubbing out" : "Painting"}
      </Button>
      <Button className="min-h-9!" onClick={painting.cancel}>
        Go back
      </Button>
      <Button kind="main" className="min-h-9!" disabled={!touched} onClick={finish}>
        Use it
      </Button>
    </div>
  ) : null;
  return { on, stroke, layer, bar, size };
}
