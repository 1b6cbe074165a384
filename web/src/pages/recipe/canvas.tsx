import { memo, useCallback, useEffect, useLayoutEffect, useRef, useState, type ReactNode } from "react";
import { extentOf, handlesOf, pairs, shifted, type Handle, type Shape } from "../../lib/recipe";
import { Button } from "../../ui/parts";
import { useKeys } from "../../ui/keys";
import { useBrush, type Painting } from "./brush";

interface View {
  x: number; // picture place at the top left of the pane
  y: number;
  scale: number; // pixels of the screen for one of the picture
}

export interface CanvasProps {
  url: string | null;
  /** Drawn over the picture, in its coordinates. */
  overlay?: (width: number, height: number) => ReactNode;
  shapes: Shape[];
  chosen: number; // of shapes, -1 for none
  /** Those drawn as chosen besides; whoever drags one of them moves all. */
  group?: ReadonlySet<Shape>;
  /** Called with -1 for the picture itself; more is set with the Shift or Control key. */
  onChoose: (shape: number, more: boolean) => void;
  /** Called all the time while a shape is dragged; done is set at the end. */
  onChange: (shape: Shape, numbers: number[], turn: number, done: boolean) => void;
  /** Moves the group from where it was before the drag began. */
  onMove?: (dx: number, dy: number, done: boolean) => void;
  /** A part of the picture was framed with the Shift key. */
  onFrame?: (x0: number, y0: number, x1: number, y1: number) => void;
  /** Set while places are picked: each press or stroke gives some, as x, y and radius. */
  onPick?: (places: [number, number, number][]) => void;
  /** Shapes in other places, to look at: where the copies of one lie. */
  ghosts?: { shape: Shape; at: [number, number][]; step?: (dx: number, dy: number, done: boolean) => void };
  editable: boolean;
  /** Without keys where two of them stand side by side. */
  keys?: boolean;
  onSize?: (w: number, h: number) => void;
  /** Gets the pixels of the picture shown. */
  onPixels?: (pixels: CanvasRenderingContext2D | null) => void;
  /** Set while a mask is painted; shapes rest then. */
  painting?: Painting | null;
  label: string;
}

/** A picture to draw on: zoomed to the cursor, moved, with shapes that can be dragged. */
export function Canvas(p: CanvasProps) {
  const pane = useRef<HTMLDivElement>(null);
  const svg = useRef<SVGSVGElement>(null);
  const [size, setSize] = useState<{ w: number; h: number } | null>(null);
  const [shown, setShown] = useState<{ url: string; pixels: CanvasRenderingContext2D | null } | null>(null);
  const [failed, setFailed] = useState(false);
  const [room, setRoom] = useState({ w: 1, h: 1 });
  const [view, setView] = useState<View | null>(null); // null: all of it
  const [cursor, setCursor] = useState<{ x: number; y: number; value: string } | null>(null);
  const { onSize, onPixels } = p;

  // The picture shown stays until the next has loaded.
  useEffect(() => {
    if (!p.url) return;
    let current = true;
    const img = new Image();
    img.onload = () => {
      if (!current) return;
      const c = document.createElement("canvas");
      c.width = img.naturalWidth;
      c.height = img.naturalHeight;
      const pixels = c.getContext("2d", { willReadFrequently: true });
      pixels?.drawImage(img, 0, 0);
      setShown({ url: img.src, pixels });
      setFailed(false);
      setSize((s) => (s?.w === img.naturalWidth && s.h === img.naturalHeight ? s : { w: img.naturalWidth, h: img.naturalHeight }));
      onSize?.(img.naturalWidth, img.naturalHeight);
      onPixels?.(pixels);
    };
    img.onerror = () => current && setFailed(true);
    img.src = p.url;
    return () => {
      current = false;
    };
  }, [p.url, onSize, onPixels]);

  useLayoutEffect(() => {
    const el = pane.current;
    if (!el) return;
    const look = () => setRoom({ w: Math.max(1, el.clientWidth), h: Math.max(1, el.clientHeight) });
    look();
    const o = new ResizeObserver(look);
    o.observe(el);
    return () => o.disconnect();
  }, []);

  const all = size ? Math.min(room.w / size.w, room.h / size.h) : 1;
  const now: View = view ?? { scale: all, x: size ? (size.w - room.w / all) / 2 : 0, y: size ? (size.h - room.h / all) / 2 : 0 };
  const place = useCallback(
    (e: { clientX: number; clientY: number }): [number, number] => {
      const box = pane.current?.getBoundingClientRect();
      return [now.x + (e.clientX - (box?.left ?? 0)) / now.scale, now.y + (e.clientY - (box?.top ?? 0)) / now.scale];
    },
    [now.x, now.y, now.scale],
  );
  const zoom = (factor: number, x = now.x + room.w / now.scale / 2, y = now.y + room.h / now.scale / 2) => {
    const scale = Math.min(40, Math.max(all / 2, now.scale * factor));
    setView({ scale, x: x - ((x - now.x) * now.scale) / scale, y: y - ((y - now.y) * now.scale) / scale });
  };

  // React's wheel events cannot keep the page from moving.
  const wheel = useRef<(e: WheelEvent) => void>(() => {});
  useEffect(() => {
    wheel.current = (e) => {
      e.preventDefault();
      const [x, y] = place(e);
      zoom(Math.exp(-e.deltaY * (e.deltaMode === 1 ? 0.05 : 0.0015)), x, y);
    };
  });
  useEffect(() => {
    const el = pane.current;
    const f = (e: WheelEvent) => wheel.current(e);
    el?.addEventListener("wheel", f, { passive: false });
    return () => el?.removeEventListener("wheel", f);
  }, []);

  const brush = useBrush(p.painting ?? null, size?.w ?? 1, size?.h ?? 1);
  const resting = brush.on || p.onPick !== undefined; // shapes cannot be taken hold of
  const many = (p.group?.size ?? 0) > 0;
  const shape = p.editable && !resting && !many ? p.shapes[p.chosen] : undefined;
  const nudge = (dx: number, dy: number) => {
    if (many && p.editable) p.onMove?.(dx, dy, true);
    else if (shape) p.onChange(shape, shifted(shape, dx, dy), shape.turn, true);
  };
  const [frame, setFrame] = useState<[number, number, number, number] | null>(null);
  const [stroke, setStroke] = useState<[number, number, number][]>([]);
  useKeys(p.keys === false ? {} : {
    "+": () => zoom(1.4),
    "-": () => zoom(1 / 1.4),
    "0": () => setView(null),
    ArrowLeft: () => nudge(-1, 0),
    ArrowRight: () => nudge(1, 0),
    ArrowUp: () => nudge(0, -1),
    ArrowDown: () => nudge(0, 1),
    "[": () => shape && p.onChange(shape, shape.numbers, shape.turn - 1, true),
    "]": () => shape && p.onChange(shape, shape.numbers, shape.turn + 1, true),
  });

  /** Follows the pointer from a press to its end; move gets the place in the picture. */
  const follow = (e: React.PointerEvent, move: (x: number, y: number, e: PointerEvent, done: boolean) => void) => {
    e.stopPropagation();
    e.preventDefault();
    (document.activeElement as HTMLElement | null)?.blur?.();
    const on = (ev: PointerEvent) => {
      const [x, y] = place(ev);
      move(x, y, ev, ev.type !== "pointermove");
      if (ev.type !== "pointermove") {
        window.removeEventListener("pointermove", on);
        window.removeEventListener("pointerup", on);
        window.removeEventListener("pointercancel", on);
      }
    };
    window.addEventListener("pointermove", on);
    window.addEventListener("pointerup", on);
    window.addEventListener("pointercancel", on);
  };
  const pan = (e: React.PointerEvent) => {
    if (brush.on && e.button === 0) {
      const [x, y] = place(e);
      brush.stroke(x, y, true);
      return follow(e, (mx, my) => brush.stroke(mx, my, false));
    }
    if (p.onPick && e.button === 0) {
      const r = Math.max(3, Math.round(8 / now.scale));
      const places: [number, number, number][] = [[...place(e), r]];
      setStroke([...places]);
      return follow(e, (mx, my, _ev, done) => {
        const last = places.at(-1)!;
        if (Math.hypot(mx - last[0], my - last[1]) > 3 * r) places.push([mx, my, r]);
        setStroke(done ? [] : [...places]);
        if (done) p.onPick?.(places);
      });
    }
    if (e.shiftKey && p.onFrame) {
      const [x0, y0] = place(e);
      return follow(e, (x, y, _ev, done) => {
        setFrame(done ? null : [Math.min(x0, x), Math.min(y0, y), Math.max(x0, x), Math.max(y0, y)]);
        if (done) p.onFrame?.(Math.min(x0, x), Math.min(y0, y), Math.max(x0, x), Math.max(y0, y));
      });
    }
    const [fx, fy] = [e.clientX, e.clientY];
    const from = now;
    p.onChoose(-1, false);
    follow(e, (_x, _y, ev) => setView({ scale: from.scale, x: from.x - (ev.clientX - fx) / from.scale, y: from.y - (ev.clientY - fy) / from.scale }));
  };
  const grab = (e: React.PointerEvent, i: number, s: Shape) => {
    if (resting) return;
    const more = e.shiftKey || e.ctrlKey || e.metaKey;
    const together = many && !more && p.group?.has(s);
    if (!together) p.onChoose(i, more);
    if (more || !p.editable) {
      e.stopPropagation();
      return;
    }
    const [fx, fy] = place(e);
    let moved = false;
    follow(e, (x, y, _ev, done) => {
      moved ||= Math.hypot(x - fx, y - fy) * now.scale > 3;
      if (moved && together) p.onMove?.(x - fx, y - fy, done);
      else if (moved) p.onChange(s, shifted(s, x - fx, y - fy), s.turn, done);
      else if (done && together) p.onChoose(i, false);
    });
  };
  const latest = useRef(grab);
  useEffect(() => {
    latest.current = grab;
  });
  const grabbed = useCallback((e: React.PointerEvent, i: number, s: Shape) => latest.current(e, i, s), []);
  const pull = (e: React.PointerEvent, s: Shape, h: Handle) =>
    follow(e, (x, y, _ev, done) => {
      const to = h.drag(x, y);
      p.onChange(s, to.numbers, to.turn ?? s.turn, done);
    });
  const hover = (e: React.PointerEvent) => {
    const [x, y] = place(e);
    if (!size || x < 0 || y < 0 || x >= size.w || y >= size.h) return setCursor(null);
    const [r = 0, g = 0, b = 0] = shown?.pixels?.getImageData(Math.floor(x), Math.floor(y), 1, 1).data ?? [];
    setCursor({ x, y, value: r === g && g === b ? String(r) : `${r} ${g} ${b}` });
  };
  const u = 1 / now.scale; // one pixel of the screen
  return (
    <div className="relative min-h-64 flex-1 overflow-hidden bg-pane" ref={pane} onPointerMove={hover} onPointerLeave={() => setCursor(null)} data-testid="canvas">
      {failed && <p className="absolute inset-x-0 top-8 text-center text-lg text-white">This picture cannot be loaded. Choose another one.</p>}
      {!p.url && !failed && <p className="absolute inset-x-0 top-8 text-center text-lg text-white">There is no picture to show.</p>}
      {size && shown && (
        <svg
          ref={svg}
          role="group"
          aria-label={p.label}
          className={`absolute inset-0 h-full w-full touch-none select-none ${p.onPick ? "cursor-crosshair" : ""}`}
          viewBox={`${now.x} ${now.y} ${room.w / now.scale} ${room.h / now.scale}`}
          onPointerDown={pan}
        >
          <image href={shown.url} width={size.w} height={size.h} style={{ imageRendering: now.scale > 3 ? "pixelated" : "auto" }} />
          <g pointerEvents="none">{p.overlay?.(size.w, size.h)}</g>
          {brush.layer}
          {brush.on && cursor && <circle cx={cursor.x} cy={cursor.y} r={brush.size / 2} fill="none" stroke="#fff" strokeWidth={1.5 * u} pointerEvents="none" />}
          {!brush.on && p.shapes.map((s, i) => <Region key={i} s={s} i={i} u={u} chosen={i === p.chosen || (p.group?.has(s) ?? false)} editable={p.editable} grab={grabbed} />)}
          {p.ghosts && !resting && <Ghosts ghosts={p.ghosts} u={u} follow={follow} />}
          {frame && <rect x={frame[0]} y={frame[1]} width={frame[2] - frame[0]} height={frame[3] - frame[1]} fill="rgb(240 177 60 / 15%)" stroke="#f0b13c" strokeWidth={1.5 * u} pointerEvents="none" />}
          {stroke.map(([x, y, r], i) => (
            <circle key={i} cx={x} cy={y} r={r} fill="none" stroke="#f0b13c" strokeWidth={2 * u} pointerEvents="none" />
          ))}
          {shape &&
            handlesOf(shape).map((h) => (
              <g key={h.name} onPointerDown={(e) => pull(e, shape, h)} onDoubleClick={() => h.without && p.onChange(shape, h.without, shape.turn, true)} className="cursor-pointer" role="img" aria-label={`Handle ${h.name}`} data-handle={h.name}>
                <circle cx={h.x} cy={h.y} r={16 * u} fill="transparent" />
                {h.name === "turn" ? <circle cx={h.x} cy={h.y} r={7 * u} fill="#1d2430" stroke="#f0b13c" strokeWidth={2.5 * u} /> : <rect x={h.x - 6 * u} y={h.y - 6 * u} width={12 * u} height={12 * u} fill="#f0b13c" stroke="#1d2430" strokeWidth={2 * u} />}
              </g>
            ))}
          {shape?.form === "polygon" && p.editable && <Corners s={shape} u={u} change={p.onChange} />}
        </svg>
      )}
      {brush.bar}
      <div className="absolute bottom-2 left-2 flex gap-1">
        <Button className="min-h-9! min-w-9! px-2!" hint="All of it" shortcut="0" onClick={() => setView(null)}>
          Fit
        </Button>
        <Button className="min-h-9! min-w-9! px-2!" hint="One pixel for one" onClick={() => size && setView({ scale: 1, x: now.x + room.w / now.scale / 2 - room.w / 2, y: now.y + room.h / now.scale / 2 - room.h / 2 })}>
          1:1
        </Button>
        <Button className="min-h-9! min-w-9! px-2!" hint="Closer" shortcut="+" aria-label="Closer" onClick={() => zoom(1.4)}>
          +
        </Button>
        <Button className="min-h-9! min-w-9! px-2!" hint="Farther" shortcut="-" aria-label="Farther" onClick={() => zoom(1 / 1.4)}>
          −
        </Button>
      </div>
      <p className="absolute bottom-2 right-2 m-0 rounded bg-black/70 px-2 py-1 font-mono text-sm text-white" aria-hidden>
        {cursor ? `${cursor.x.toFixed(1)}, ${cursor.y.toFixed(1)} = ${cursor.value}` : `${Math.round(now.scale * 100)} %`}
      </p>
    </div>
  );
}

/** The outline of a shape as the data of a path, not yet turned. */
export const drawn = (s: Shape): string => {
  const n = s.numbers;
  const at = (i: number) => n[i] ?? 0;
  const round = (x: number, y: number, r: number) => `M${x - r} ${y}a${r} ${r} 0 1 0 ${2 * r} 0a${r} ${r} 0 1 0 ${-2 * r} 0`;
  switch (s.form) {
    case "rect":
      return `M${at(0)} ${at(1)}h${at(2)}v${at(3)}h${-at(2)}Z`;
    case "circle":
      return round(at(0), at(1), at(2));
    case "ring":
      return round(at(0), at(1), at(3)) + round(at(0), at(1), at(2));
    case "polygon":
      return `M${pairs(n).map((q) => q.join(" ")).join("L")}Z`;
    case "arrow": {
      const [dx, dy] = [at(2) - at(0), at(3) - at(1)];
      const l = Math.hypot(dx, dy) || 1;
      const [ux, uy] = [(dx / l) * 12, (dy / l) * 12];
      return `M${at(0)} ${at(1)}L${at(2)} ${at(3)}M${at(2) - ux + uy / 2} ${at(3) - uy - ux / 2}L${at(2)} ${at(3)}L${at(2) - ux - uy / 2} ${at(3) - uy + ux / 2}`;
    }
    case "arc": {
      const [a, b] = [at(3), at(3) + at(4)];
      const on = (deg: number) => `${at(0) + at(2) * Math.cos((deg * Math.PI) / 180)} ${at(1) + at(2) * Math.sin((deg * Math.PI) / 180)}`;
      return `M${on(a)}A${at(2)} ${at(2)} 0 ${Math.abs(at(4)) > 180 ? 1 : 0} ${at(4) > 0 ? 1 : 0} ${on(b)}`;
    }
  }
};

/** One shape that can be taken hold of. It is drawn anew only when it changes. */
const Region = memo(function Region({ s, i, u, chosen, editable, grab }: { s: Shape; i: number; u: number; chosen: boolean; editable: boolean; grab: (e: React.PointerEvent, i: number, s: Shape) => void }) {
  return (
    <g role="img" aria-label={s.role} data-shape={s.role} onPointerDown={(e) => grab(e, i, s)} className={editable ? "cursor-move" : "cursor-pointer"}>
      <Outline s={s} u={u} chosen={chosen} />
    </g>
  );
});

/** The copies of a shape, dashed; the last one has a handle that sets the distance between them. */
function Ghosts({ ghosts, u, follow }: { ghosts: NonNullable<CanvasProps["ghosts"]>; u: number; follow: (e: React.PointerEvent, move: (x: number, y: number, e: PointerEvent, done: boolean) => void) => void }) {
  const { shape, at, step } = ghosts;
  const d = drawn(shape);
  const [x0, y0, x1, y1] = extentOf(shape);
  const [cx, cy] = [(x0 + x1) / 2, (y0 + y1) / 2];
  const last = at.at(-1);
  return (
    <>
      {at.slice(1).map(([dx, dy], i) => (
        <g key={i} transform={`translate(${dx} ${dy})`} pointerEvents="none">
          <g transform={turnOf(shape)} fill="none">
            <path d={d} stroke="#000" strokeOpacity="0.6" strokeWidth={3.5 * u} />
            <path d={d} stroke="#f0b13c" strokeWidth={1.5 * u} strokeDasharray={`${6 * u} ${4 * u}`} />
          </g>
        </g>
      ))}
      {last && step && at.length > 1 && (
        <g className="cursor-pointer" role="img" aria-label="Handle last copy" data-handle="last copy" onPointerDown={(e) => follow(e, (x, y, _ev, done) => step(x - cx, y - cy, done))}>
          <circle cx={cx + last[0]} cy={cy + last[1]} r={16 * u} fill="transparent" />
          <rect x={cx + last[0] - 6 * u} y={cy + last[1] - 6 * u} width={12 * u} height={12 * u} fill="#f0b13c" stroke="#1d2430" strokeWidth={2 * u} />
        </g>
      )}
    </>
  );
}

/** How its outline is turned, as an attribute of SVG. */
export const turnOf = (s: Shape) => (s.form === "rect" && s.turn ? `rotate(${s.turn} ${(s.numbers[0] ?? 0) + (s.numbers[2] ?? 0) / 2} ${(s.numbers[1] ?? 0) + (s.numbers[3] ?? 0) / 2})` : undefined);

function Outline({ s, u, chosen }: { s: Shape; u: number; chosen: boolean }) {
  const d = drawn(s);
  const open = s.form === "arrow" || s.form === "arc";
  return (
    <g transform={turnOf(s)} strokeLinejoin="round" strokeLinecap="round">
      <path d={d} fill={open ? "none" : "transparent"} fillRule="evenodd" stroke="transparent" strokeWidth={18 * u} />
      <path d={d} fill={chosen && !open ? "rgb(240 177 60 / 12%)" : "none"} fillRule="evenodd" stroke="#000" strokeOpacity="0.6" strokeWidth={(chosen ? 5 : 4) * u} pointerEvents="none" />
      <path d={d} fill="none" stroke={chosen ? "#f0b13c" : "#ffffff"} strokeWidth={(chosen ? 2.5 : 1.6) * u} pointerEvents="none" />
    </g>
  );
}

/** Between the corners of a polygon new ones can be added. */
function Corners({ s, u, change }: { s: Shape; u: number; change: CanvasProps["onChange"] }) {
  const q = pairs(s.numbers);
  return (
    <>
      {q.map(([x, y], i) => {
        const [nx, ny] = q[(i + 1) % q.length] ?? [x, y];
        const add = () => change(s, [...s.numbers.slice(0, 2 * i + 2), (x + nx) / 2, (y + ny) / 2, ...s.numbers.slice(2 * i + 2)], 0, true);
        return (
          <g key={i}>
            <circle
              cx={(x + nx) / 2}
              cy={(y + ny) / 2}
              r={6 * u}
              fill="#fff"
              stroke="#1d2430"
              strokeWidth={2 * u}
              className="cursor-copy"
              onPointerDown={(e) => {
                e.stopPropagation();
                add();
              }}
            >
              <title>Add a corner here</title>
            </circle>
          </g>
        );
      })}
    </>
  );
}
