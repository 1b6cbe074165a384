import { useCallback, useEffect, useLayoutEffect, useRef, useState, type ReactNode } from "react";
import { handlesOf, pairs, shifted, type Handle, type Shape } from "../../lib/recipe";
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
  onChoose: (shape: number) => void;
  /** Called all the time while a shape is dragged; done is set at the end. */
  onChange: (shape: Shape, numbers: number[], turn: number, done: boolean) => void;
  editable: boolean;
  onSize?: (w: number, h: number) => void;
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
  const { onSize } = p;

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
    };
    img.onerror = () => current && setFailed(true);
    img.src = p.url;
    return () => {
      current = false;
    };
  }, [p.url, onSize]);

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
  const shape = p.editable && !brush.on ? p.shapes[p.chosen] : undefined;
  const nudge = (dx: number, dy: number) => shape && p.onChange(shape, shifted(shape, dx, dy), shape.turn, true);
  useKeys({
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
    const [fx, fy] = [e.clientX, e.clientY];
    const from = now;
    p.onChoose(-1);
    follow(e, (_x, _y, ev) => setView({ scale: from.scale, x: from.x - (ev.clientX - fx) / from.scale, y: from.y - (ev.clientY - fy) / from.scale }));
  };
  const grab = (e: React.PointerEvent, i: number, s: Shape) => {
    p.onChoose(i);
    if (!p.editable) return;
    const [fx, fy] = place(e);
    let moved = false;
    follow(e, (x, y, _ev, done) => {
      moved ||= Math.hypot(x - fx, y - fy) * now.scale > 3;
      if (moved) p.onChange(s, shifted(s, x - fx, y - fy), s.turn, done);
    });
  };
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
          className="absolute inset-0 h-full w-full touch-none select-none"
          viewBox={`${now.x} ${now.y} ${room.w / now.scale} ${room.h / now.scale}`}
          onPointerDown={pan}
        >
          <image href={shown.url} width={size.w} height={size.h} style={{ imageRendering: now.scale > 3 ? "pixelated" : "auto" }} />
          <g pointerEvents="none">{p.overlay?.(size.w, size.h)}</g>
          {brush.layer}
          {brush.on && cursor && <circle cx={cursor.x} cy={cursor.y} r={brush.size / 2} fill="none" stroke="#fff" strokeWidth={1.5 * u} pointerEvents="none" />}
          {!brush.on && p.shapes.map((s, i) => (
            <g key={`${s.path.join(".")}.${s.form}`} role="img" aria-label={s.role} onPointerDown={(e) => grab(e, i, s)} className={p.editable ? "cursor-move" : "cursor-pointer"}>
              <Outline s={s} u={u} chosen={i === p.chosen} />
            </g>
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

const drawn = (s: Shape): string => {
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

function Outline({ s, u, chosen }: { s: Shape; u: number; chosen: boolean }) {
  const d = drawn(s);
  const turn = s.form === "rect" && s.turn ? `rotate(${s.turn} ${(s.numbers[0] ?? 0) + (s.numbers[2] ?? 0) / 2} ${(s.numbers[1] ?? 0) + (s.numbers[3] ?? 0) / 2})` : undefined;
  const open = s.form === "arrow" || s.form === "arc";
  return (
    <g transform={turn} strokeLinejoin="round" strokeLinecap="round">
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
